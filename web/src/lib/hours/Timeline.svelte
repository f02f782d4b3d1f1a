<script lang="ts">
  import { place } from '$lib/lane/geometry';
  import { addDays, daysBetween, monthName, plainDate } from './dates';
  import { spanWords, stretches, tightWords, type DraftPattern } from './patterns';

  /** Which pattern is in force when, over the year around today. */
  let {
    drafts,
    today,
    at,
    onpick,
  }: { drafts: DraftPattern[]; today: string; at: number; onpick: (index: number) => void } = $props();

  const from = $derived(`${addDays(today, -62).slice(0, 8)}01`);
  const until = $derived(addDays(from, 365));
  const axis = $derived({ from: 0, to: daysBetween(from, until) + 1 });
  const parts = $derived(
    stretches(drafts, from, until).map((s) => ({
      ...s,
      start: daysBetween(from, s.from),
      end: daysBetween(from, s.until) + 1,
    })),
  );
  const months = $derived(
    Array.from({ length: 13 }, (_, i) => {
      const first = `${addDays(from, i * 30.5 + 3).slice(0, 8)}01`;
      return { first, at: daysBetween(from, first), label: monthName(first) };
    }).filter((m, i, all) => m.at >= 0 && m.at < axis.to - 12 && m.first !== all[i - 1]?.first),
  );
  const now = $derived(daysBetween(from, today) + 0.5);
  /** Patterns that are in force nowhere in the year shown. */
  const elsewhere = $derived(drafts.map((_, i) => i).filter((i) => !parts.some((p) => p.index === i)));
</script>

<div class="timeline" role="group" aria-label="Patterns through the year">
  <div class="months" aria-hidden="true">
    {#each months as m (m.first)}<span style="left:{(m.at / axis.to) * 100}%">{m.label}</span>{/each}
  </div>
  <div class="track">
    {#each parts as p (p.from)}
      {#if p.index >= 0}
        {@const d = drafts[p.index]}
        <button
          type="button"
          class:chosen={p.index === at}
          style={place(axis, p)}
          aria-pressed={p.index === at}
          aria-label={d ? spanWords(d) : ''}
          title="{d ? spanWords(d) : ''}; in force {plainDate(p.from)} – {plainDate(p.until)}"
          onclick={() => onpick(p.index)}
        >
          <span aria-hidden="true">{d ? tightWords(d) : ''}</span>
        </button>
      {/if}
    {/each}
    <i class="now" style="left:{(now / axis.to) * 100}%"></i>
  </div>
  {#if elsewhere.length}
    <p class="text-sm">
      Not in force this year:
      {#each elsewhere as i (i)}
        {@const d = drafts[i]}
        <button
          type="button"
          class="link-plain"
          aria-pressed={i === at}
          class:font-bold={i === at}
          onclick={() => onpick(i)}
        >
          {d ? spanWords(d) : ''}
        </button>
      {/each}
    </p>
  {/if}
</div>

<style>
  .timeline {
    display: grid;
    gap: 2px;
    padding: 6px 0 0;
  }
  .months {
    position: relative;
    height: 18px;
    font-size: 0.75rem;
    color: var(--color-mute);
  }
  .months span {
    position: absolute;
  }
  .track {
    position: relative;
    height: 34px;
    background: var(--color-wall);
    border-bottom: 1.5px solid var(--color-sill-line);
  }
  .track button {
    position: absolute;
    top: 4px;
    bottom: 0;
    padding: 0 9px;
    overflow: hidden;
    text-align: left;
    font-size: 0.8125rem;
    font-weight: 600;
    white-space: nowrap;
    background: var(--color-alcove);
    border-radius: 8px 8px 0 0;
    box-shadow:
      inset 0 2px 4px -1px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
    cursor: pointer;
    container-type: inline-size;
  }
  .track button.chosen {
    background: var(--color-primary);
    color: var(--color-primary-content);
    box-shadow: none;
  }
  @container (max-width: 60px) {
    .track button span {
      display: none;
    }
  }
  .now {
    position: absolute;
    top: -5px;
    height: 12px;
    width: 3px;
    margin-left: -1.5px;
    background: var(--color-gold);
    pointer-events: none;
  }
</style>
