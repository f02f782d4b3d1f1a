<script lang="ts">
  import { on } from 'svelte/events';
  import type { Shape } from '$lib/api/client';
  import { between, left, place } from '$lib/lane/geometry';
  import { cityOf } from '$lib/hours/dates';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import { Drag, type Place } from './drag.svelte';
  import Ghost from './Ghost.svelte';
  import { axisOf, layersOf, solidOf } from './layers';
  import { clock } from '../clock.svelte';
  import type { Asked } from '../aside';

  /** The team's day: a lane for each person, then one for each room. */
  let {
    wall,
    picked,
    why,
    nowWords,
    onpick,
    onask,
    onmove,
    ongap,
  }: {
    wall: Shape<'Wall'>;
    /** The visit that is open. */
    picked: string;
    why?: Asked;
    /** The present time, in words. */
    nowWords: string;
    onpick: (key: string) => void;
    onask: (staff: number, at: number) => void;
    /** A booking was let go at another start or person. */
    onmove: (visit: Shape<'WallVisit'>, from: number, to: Place) => void;
    /** A stretch of somebody's day was drawn, to be booked. */
    ongap: (staff: number, from: number, to: number) => void;
  } = $props();

  let board: HTMLElement;
  const drag = new Drag();
  const laneAt = (e: { clientX: number; clientY: number }) =>
    document.elementFromPoint(e.clientX, e.clientY)?.closest<HTMLElement>('[data-staff]') ?? undefined;
  /** What a press is on: a booking in a person's lane. */
  function visitAt(target: EventTarget | null) {
    const on = (target as HTMLElement | null)?.closest<HTMLElement>('[data-layer="solid"]');
    const row = on?.closest<HTMLElement>('[data-staff]');
    const lane = wall.lanes.find((l) => String(l.staff.id) === row?.dataset.staff);
    const visit = lane?.visits[Number(on?.dataset.index)];
    return lane && visit ? { visit, staff: lane.staff.id } : undefined;
  }
  function momentAt(row: HTMLElement, lane: Shape<'WallLane'>, x: number): number {
    const [box, ends] = [row.getBoundingClientRect(), axisOf(lane)];
    return ends.from + ((x - box.left) / box.width) * (ends.to - ends.from);
  }
  function held(e: PointerEvent) {
    const row = laneAt(e);
    const lane = wall.lanes.find((l) => String(l.staff.id) === row?.dataset.staff);
    if (row && lane) drag.hold(lane.staff.id, momentAt(row, lane, e.clientX - grip));
  }
  /** A stretch that is being drawn in somebody's lane: where it began, and where the pointer is. */
  let drawn = $state.raw<{ staff: number; row: HTMLElement; anchor: number; at: number }>();
  /** It in steps of five minutes, in its order. */
  const stretch = $derived.by(() => {
    if (!drawn) return undefined;
    const step = 300_000;
    const [a, b] = [drawn.anchor, drawn.at].sort((x, y) => x - y) as [number, number];
    return { start: Math.floor(a / step) * step, end: Math.ceil(b / step) * step };
  });
  const timeOf = (at: number) =>
    new Intl.DateTimeFormat('en-GB', {
      timeZone: wall.zone,
      hour: clock.kind === '12' ? 'numeric' : '2-digit',
      minute: '2-digit',
      hour12: clock.kind === '12',
    }).format(at);
  /** Where the booking was taken hold of, in pixels from its beginning. */
  let grip = 0;
  /** A press that may become a drag. */
  let press: { x: number; y: number; row: HTMLElement; on: ReturnType<typeof visitAt> } | undefined;
  let hold: ReturnType<typeof setTimeout> | undefined;
  let justDropped = false;

  function begin() {
    if (!press) return;
    const p = press;
    press = undefined;
    if (p.on) return void drag.take(p.on.visit, p.on.staff, wall.date, clock.kind);
    const lane = wall.lanes.find((l) => String(l.staff.id) === p.row.dataset.staff);
    if (!lane) return;
    const at = momentAt(p.row, lane, p.x);
    drawn = { staff: lane.staff.id, row: p.row, anchor: at, at };
  }
  function down(e: PointerEvent) {
    const row = (e.target as HTMLElement).closest<HTMLElement>('[data-staff]');
    const on = visitAt(e.target);
    if (e.button !== 0 || !row || (!on && (e.target as HTMLElement).closest('button'))) return;
    const box = (e.target as HTMLElement).closest('[data-layer="solid"]')?.getBoundingClientRect();
    grip = e.clientX - (box?.left ?? e.clientX);
    press = { x: e.clientX, y: e.clientY, row, on };
    // A finger that moves at once scrolls; one that rests takes the booking up, or begins to draw.
    if (e.pointerType === 'touch') hold = setTimeout(begin, 350);
  }
  function moved(e: PointerEvent) {
    if (press && Math.hypot(e.clientX - press.x, e.clientY - press.y) > 6) {
      if (e.pointerType === 'touch') [press, hold] = [void clearTimeout(hold), undefined];
      else begin();
    }
    if (drag.visit) held(e);
    if (drawn) {
      const { staff, row } = drawn;
      const lane = wall.lanes.find((l) => l.staff.id === staff);
      if (lane) drawn = { ...drawn, at: momentAt(row, lane, e.clientX) };
    }
  }
  function up(e: PointerEvent) {
    clearTimeout(hold);
    press = undefined;
    if (drawn && stretch) {
      const [who, s] = [drawn.staff, stretch];
      drawn = undefined;
      quiet();
      return ongap(who, s.start, s.end);
    }
    if (!drag.visit) return;
    held(e);
    quiet();
    letGo();
  }
  /** What ends a drag is no click on what lies below. */
  function quiet() {
    justDropped = true;
    setTimeout(() => (justDropped = false));
  }
  function letGo() {
    const from = drag.staff;
    const dropped = drag.drop();
    if (dropped) onmove(dropped.visit, from, dropped.to);
  }
  function keys(e: KeyboardEvent) {
    if (drawn && e.key === 'Escape') {
      e.stopPropagation();
      drawn = undefined;
      quiet();
      return;
    }
    if (!drag.visit) {
      const at = visitAt(document.activeElement);
      if (e.key.toLowerCase() !== 'm' || !at || e.ctrlKey || e.metaKey || e.altKey) return;
      e.preventDefault();
      e.stopPropagation();
      void drag.take(at.visit, at.staff, wall.date, clock.kind);
      return;
    }
    const order = wall.lanes.map((l) => l.staff.id);
    const does: Record<string, () => void> = {
      ArrowLeft: () => drag.step(-1),
      ArrowRight: () => drag.step(1),
      ArrowUp: () => drag.climb(-1, order),
      ArrowDown: () => drag.climb(1, order),
      Enter: letGo,
      Escape: () => drag.cancel(),
    };
    e.preventDefault();
    e.stopPropagation();
    does[e.key]?.();
  }
  $effect(() => {
    const ends = [
      on(board, 'pointerdown', down),
      on(window, 'pointermove', moved),
      on(window, 'pointerup', up),
      on(window, 'pointercancel', () => {
        clearTimeout(hold);
        [press, drawn] = [undefined, undefined];
        drag.cancel();
      }),
      on(
        board,
        'click',
        (e) => {
          if (justDropped) e.stopPropagation();
        },
        { capture: true },
      ),
      on(board, 'touchmove', (e) => (drag.visit || drawn) && e.preventDefault(), { passive: false }),
      on(window, 'keydown', keys, { capture: true }),
    ];
    return () => ends.forEach((end) => end());
  });

  const axis = $derived(axisOf(wall));
  const now = $derived(Date.parse(wall.now));
  const marks = $derived(
    wall.marks
      .map((m) => ({ at: Date.parse(m.at), label: m.label }))
      // A mark under the label of the now-line could not be read.
      .filter((m) => Math.abs(left(axis, m.at) - left(axis, now)) > 3.3 || now < axis.from || now > axis.to),
  );
  /** Rooms keep the business's hours, and are open for all of them. */
  const whole = $derived([between({ start: wall.from, end: wall.to })]);
</script>

<p class="sr-only" role="status">
  {#if drag.visit && drag.over}{drag.visit.client}: {drag.over.label} with {wall.lanes.find(
      (l) => l.staff.id === drag.over?.staff,
    )?.staff.name}, {drag.over.why || 'free'}{/if}
</p>
<div
  bind:this={board}
  class:dragging={drag.visit}
  class:drawing={drawn}
  class="board"
  class:many={wall.lanes.length > 12}
  style="--lanes:{wall.lanes.length + wall.rooms.length}"
>
  <div class="head text-xs text-mute">
    {clock.zones === 'person' ? 'everyone’s own' : cityOf(wall.zone)}
  </div>
  <div class="head">
    <div class="relative">
      <Hours {axis} {marks} />
      {#if now > axis.from && now < axis.to}
        <span class="now-label" style="left:{left(axis, now)}%">{nowWords}</span>
      {/if}
    </div>
  </div>
  {#each wall.lanes as lane (lane.staff.id)}
    <div class="who">
      <a href="/team/{lane.staff.id}" class="font-bold hover:underline" title={lane.staff.name}
        >{lane.staff.name}</a
      >
      <p class="text-[0.8125rem] text-mute">{lane.note}</p>
      {#if lane.clashes}
        <p class="text-[0.8125rem] font-semibold text-brick">
          {lane.clashes === 1 ? 'a clash' : `${lane.clashes} clashes`}
        </p>
      {/if}
      {#if lane.away}<p class="text-[0.8125rem] text-mute">{lane.away}</p>{/if}
      {#if lane.nowhere}
        <a href="/team/{lane.staff.id}/calendars" class="text-[0.8125rem] font-semibold text-brick underline">
          written nowhere
        </a>
      {/if}
    </div>
    <section class="row" data-staff={lane.staff.id} aria-label="{lane.staff.name}, {lane.note}">
      <Lane
        axis={axisOf(lane)}
        layers={layersOf(wall, lane)}
        {picked}
        asked={why?.staff === lane.staff.id ? why.instant : undefined}
        onpick={(s) => onpick(s.key)}
        onask={wall.service ? (at) => onask(lane.staff.id, at) : undefined}
      >
        {#if drag.visit}<Ghost {drag} staff={lane.staff.id} axis={axisOf(lane)} />{/if}
        {#if stretch && drawn?.staff === lane.staff.id}
          <span class="stretch" style={place(axisOf(lane), stretch)}
            ><b>{timeOf(stretch.start)}–{timeOf(stretch.end)}</b></span
          >
        {/if}
      </Lane>
    </section>
  {/each}
  {#each wall.rooms as room (room.id)}
    <div class="who">
      <a href="/house" class="font-bold hover:underline" title={room.name}>{room.name}</a>
      <p class="text-[0.8125rem] text-mute">{room.kind}</p>
    </div>
    <section class="row room" aria-label="{room.name}, {room.kind}">
      <Lane
        {axis}
        layers={{ open: whole, solids: room.visits.map(solidOf), now }}
        {picked}
        onpick={(s) => onpick(s.key)}
      />
    </section>
  {/each}
</div>

<style>
  .board {
    display: grid;
    grid-template-columns: 176px minmax(0, 1fr);
    column-gap: 8px;
    padding-bottom: 16px;
  }
  .dragging,
  .drawing {
    user-select: none;
  }
  .dragging {
    cursor: grabbing;
  }
  .drawing {
    cursor: col-resize;
  }
  .dragging :global(.card),
  .drawing :global(.card) {
    display: none;
  }
  .stretch {
    position: absolute;
    inset-block: 4px 0;
    z-index: 4;
    min-width: max-content;
    padding: 3px 6px;
    border: 2px solid var(--color-gold);
    border-radius: 8px 8px 0 0;
    background: color-mix(in srgb, var(--color-gold-soft), transparent 12%);
    color: var(--color-ink);
    font-size: 0.75rem;
    pointer-events: none;
  }
  /* The hours stay in view while the people pass below them. */
  .head {
    position: sticky;
    top: 0;
    z-index: 3;
    padding-top: 4px;
    margin-inline: -8px 0;
    padding-left: 8px;
    background: var(--color-page);
  }
  .who {
    padding: 8px 4px 0 0;
    line-height: 1.3;
    min-width: 0;
  }
  .who a:first-child {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .row {
    height: 86px;
    padding-bottom: 8px;
  }
  .row.room {
    height: 62px;
  }
  @media print {
    .board {
      print-color-adjust: exact;
    }
    .row,
    .row.room {
      height: min(86px, calc(158mm / var(--lanes)));
      padding-bottom: 3px;
    }
    .who {
      padding-top: 0;
      font-size: min(15px, calc(120mm / var(--lanes)));
      line-height: 1.15;
    }
    .many .who > :not(:first-child) {
      display: none;
    }
    .who p {
      display: inline;
      font-size: 0.85em;
    }
    .head {
      position: static;
    }
  }
  .now-label {
    position: absolute;
    top: 1px;
    transform: translateX(-50%);
    padding: 1px 6px;
    border-radius: 5px;
    background: var(--color-gold);
    color: var(--color-accent-content);
    font-size: 0.75rem;
    font-weight: 700;
  }
</style>
