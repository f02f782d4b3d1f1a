<script lang="ts">
  import { left, type Axis } from './geometry';
  import type { Tick } from './lane';

  /** The sill below a lane: a mark for each start, solid where it is offered, hollow where it is refused. */
  let {
    axis,
    starts,
    asked,
    small,
    onask,
  }: {
    axis: Axis;
    starts: Tick[];
    /** The moment that was asked about. */
    asked?: number;
    /** Whether they are painted in one piece, because there is no room to point at each. */
    small: boolean;
    onask?: (at: number) => void;
  } = $props();

  /** One start can be reached by Tab: the one asked about, or the first that is offered. The arrows go on. */
  const focusable = $derived(
    (starts.find((t) => t.at === asked) ?? starts.find((t) => t.offered) ?? starts[0])?.at,
  );
  const offered = $derived(starts.filter((t) => t.offered).length);

  /** Where a key leads from a start: along the sill, or to the nearest start of the next one. */
  const ways: Record<string, (from: HTMLElement) => Element | null | undefined> = {
    ArrowLeft: (from) => from.previousElementSibling,
    ArrowRight: (from) => from.nextElementSibling,
    ArrowUp: (from) => across(from, -1),
    ArrowDown: (from) => across(from, 1),
  };
  function along(e: KeyboardEvent) {
    const to = ways[e.key]?.(e.currentTarget as HTMLElement);
    if (to instanceof HTMLElement) {
      e.preventDefault();
      to.focus();
    }
  }
  function across(from: HTMLElement, by: -1 | 1) {
    const sills = [...document.querySelectorAll<HTMLElement>('.sill:has(> button)')];
    const next = sills[sills.findIndex((s) => s.contains(from)) + by];
    const x = from.getBoundingClientRect().left;
    const apart = (t: Element) => Math.abs(t.getBoundingClientRect().left - x);
    return [...(next?.children ?? [])].toSorted((a, b) => apart(a) - apart(b))[0];
  }

  /** All starts as one background: strokes, and rings. */
  const painted = $derived(
    starts
      .map((t) =>
        t.offered
          ? `linear-gradient(var(--color-tick) 0 0) ${left(axis, t.at)}% 60%/2.5px 9px no-repeat`
          : `radial-gradient(circle, transparent 1px, var(--color-tick-none) 1.3px 1.9px, transparent 2.3px) ${left(axis, t.at)}% 60%/5px 5px no-repeat`,
      )
      .join(','),
  );
</script>

<div class="sill">
  {#if small}
    <i class="strokes" style="background:{painted || 'none'}"></i>
    <span class="sr-only">{offered} of {starts.length} starts offered</span>
    {#if asked !== undefined && asked >= axis.from && asked < axis.to}
      <i class="tick asked" style="left:{left(axis, asked)}%"></i>
    {/if}
  {:else}
    {#each starts as t, i (t.at)}
      {#if onask}
        <button
          type="button"
          class="tick"
          class:none={!t.offered}
          class:asked={asked === t.at}
          style="left:{left(axis, t.at)}%"
          data-layer="tick"
          data-index={i}
          aria-label={t.title}
          tabindex={t.at === focusable ? 0 : -1}
          onclick={() => onask(t.at)}
          onkeydown={along}
        ></button>
      {:else}
        <i
          class="tick"
          class:none={!t.offered}
          style="left:{left(axis, t.at)}%"
          data-layer="tick"
          data-index={i}><span class="sr-only">{t.title}</span></i
        >
      {/if}
    {/each}
  {/if}
</div>

<style>
  .sill {
    position: absolute;
    inset: auto 0 0 0;
    height: var(--sill);
    background: var(--color-sill);
    border-top: 1.5px solid var(--color-sill-line);
  }
  .strokes {
    position: absolute;
    inset: 0;
  }
  .tick {
    position: absolute;
    bottom: 2.5px;
    width: 4px;
    height: 9px;
    margin-left: -2px;
    border-radius: 2px;
    background: var(--color-tick);
  }
  .tick.none {
    bottom: 4.5px;
    width: 5px;
    height: 5px;
    border-radius: 50%;
    background: none;
    border: 1.3px solid var(--color-tick-none);
  }
  button.tick {
    cursor: help;
  }
  button.tick::before {
    content: '';
    position: absolute;
    inset: -5px -4px;
  }
  .tick.asked {
    outline: 2px solid var(--color-gold);
    outline-offset: 2px;
  }
  /* On paper nobody asks about starts. */
  @media print {
    .sill {
      display: none;
    }
  }
</style>
