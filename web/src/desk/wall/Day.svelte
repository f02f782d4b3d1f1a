<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { between, left } from '$lib/lane/geometry';
  import { cityOf } from '$lib/hours/dates';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
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
  }: {
    wall: Shape<'Wall'>;
    /** The visit that is open. */
    picked: string;
    why?: Asked;
    /** The present time, in words. */
    nowWords: string;
    onpick: (key: string) => void;
    onask: (staff: number, at: number) => void;
  } = $props();

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

<div
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
    <section class="row" aria-label="{lane.staff.name}, {lane.note}">
      <Lane
        axis={axisOf(lane)}
        layers={layersOf(wall, lane)}
        {picked}
        asked={why?.staff === lane.staff.id ? why.instant : undefined}
        onpick={(s) => onpick(s.key)}
        onask={wall.service ? (at) => onask(lane.staff.id, at) : undefined}
      />
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
