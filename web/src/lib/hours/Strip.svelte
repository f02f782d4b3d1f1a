<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { addDays, longDate, weekdayOf } from './dates';
  import { dayOn, type DraftPattern } from './patterns';
  import { drawn, pieces } from './week';

  /** The coming weeks, day by day: what the patterns give, and what wins over them. */
  let {
    today,
    drafts,
    days,
    closures,
    chosen,
    onchoose,
  }: {
    today: string;
    drafts: DraftPattern[];
    days: Shape<'Days'>;
    closures: Shape<'Closure'>[];
    /** The dates that are chosen, both included; empty for none. */
    chosen: { from: string; until: string };
    onchoose: (range: { from: string; until: string }) => void;
  } = $props();

  const count = 42;
  let anchor = $state('');

  const cells = $derived.by(() => {
    const monday = addDays(today, -weekdayOf(today));
    return Array.from({ length: count }, (_, i) => {
      const date = addDays(monday, i);
      const away = days.absences.find((a) => a.from <= date && date <= a.until);
      const oneOff = days.oneOffs.find((o) => o.date === date);
      const closed = closures.find((c) => c.date === date);
      const open = oneOff
        ? drawn(oneOff.spans.map((s) => [s[0] ?? '', s[1] ?? '']))
        : pieces(dayOn(drafts, date));
      const from = Math.min(...open.map((p) => p.start), 1440);
      const to = Math.max(...open.map((p) => p.end), 0);
      const words = closed
        ? `closed, ${closed.name}`
        : away
          ? `away${away.note ? `, ${away.note}` : ''}`
          : oneOff
            ? `other hours${oneOff.note ? `, ${oneOff.note}` : ''}`
            : open.length
              ? 'usual hours'
              : 'no hours';
      return {
        date,
        words,
        kind: closed ? 'closed' : away ? 'away' : oneOff ? 'other' : open.length ? 'usual' : 'none',
        // An alcove as high as the day is long.
        height: open.length && !closed && !away ? 22 + Math.min(1, (to - from) / 720) * 58 : 0,
      };
    });
  });

  function to(date: string) {
    const [from, until] = anchor <= date ? [anchor, date] : [date, anchor];
    onchoose({ from, until });
  }
  function begin(e: PointerEvent, date: string) {
    if (e.button !== 0) return;
    // A finger is held by what it touches first, which may be a part of the cell.
    (e.target as HTMLElement).releasePointerCapture(e.pointerId);
    anchor = e.shiftKey && chosen.from ? chosen.from : date;
    to(date);
  }
  function press(e: KeyboardEvent, date: string) {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 }[e.key];
    if (!by) return;
    e.preventDefault();
    const next = addDays(date, by);
    const cell = (e.currentTarget as HTMLElement).parentElement?.querySelector<HTMLElement>(
      `[data-date="${next}"]`,
    );
    cell?.focus();
    if (e.shiftKey && cell) {
      anchor ||= date;
      to(next);
    }
  }
</script>

<svelte:window onpointerup={() => (anchor = '')} />

<div class="strip" role="group" aria-label="The coming weeks. Choose a day, or drag over several.">
  {#each cells as c, i (c.date)}
    <button
      type="button"
      class="cell {c.kind}"
      class:past={c.date < today}
      class:today={c.date === today}
      class:chosen={chosen.from <= c.date && c.date <= chosen.until}
      data-date={c.date}
      tabindex={(chosen.from ? c.date === chosen.from : c.date === today) ? 0 : -1}
      aria-pressed={chosen.from <= c.date && c.date <= chosen.until}
      aria-label="{longDate(c.date)}: {c.words}"
      title="{longDate(c.date)}: {c.words}"
      onpointerdown={(e) => begin(e, c.date)}
      onpointerenter={() => anchor && to(c.date)}
      onkeydown={(e) => press(e, c.date)}
      onclick={(e) => e.detail === 0 && onchoose({ from: c.date, until: c.date })}
    >
      <span class="number">{Number(c.date.slice(8))}</span>
      {#if i < 7}<span class="weekday">{longDate(c.date).slice(0, 3)}</span>{/if}
      {#if c.height}<span class="alcove" style="height:{c.height}%"></span>{/if}
    </button>
  {/each}
</div>

<style>
  .strip {
    display: grid;
    grid-template-columns: repeat(7, minmax(0, 1fr));
    gap: 3px;
    touch-action: pan-y;
  }
  @media (min-width: 900px) {
    .strip {
      grid-template-columns: repeat(14, minmax(0, 1fr));
    }
  }
  .cell {
    position: relative;
    height: 46px;
    background: var(--color-wall);
    border-bottom: 3px solid transparent;
    cursor: pointer;
    user-select: none;
  }
  .number,
  .weekday {
    position: absolute;
    top: 2px;
    z-index: 1;
    font-size: 0.75rem;
    color: var(--color-mute);
  }
  .number {
    left: 5px;
    font-weight: 600;
  }
  .weekday {
    right: 5px;
  }
  .alcove {
    position: absolute;
    inset: auto 22% 0;
    border-radius: 8px 8px 0 0;
    background: var(--color-alcove);
    box-shadow: inset 0 2px 3px -1px var(--color-recess);
  }
  .cell.other .alcove {
    box-shadow: inset 0 0 0 2px var(--color-primary);
  }
  .cell.away {
    border-bottom-color: var(--color-gold);
  }
  .cell.closed {
    background: repeating-linear-gradient(135deg, var(--color-wall) 0 5px, var(--color-brickwork) 5px 7px);
  }
  .cell.past {
    opacity: 0.55;
  }
  .cell.today {
    border-bottom-color: var(--color-primary);
  }
  .cell.chosen {
    outline: 2px solid var(--color-primary);
    outline-offset: -2px;
  }
</style>
