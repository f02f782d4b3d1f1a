<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';
  import type { Asked } from '../aside';
  import { axisOf, layersOf } from './layers';

  /** The week: one person in seven lanes, or the team in seven columns. */
  let {
    date,
    page = 1,
    staff,
    service,
    picked = '',
    why,
    onday,
    onperson,
    onpick,
    onask,
    ontitle,
    onlanes,
  }: {
    date: string;
    /** Which of the people, where there are too many for one page. */
    page?: number;
    /** One person, or 0 for the team. */
    staff: number;
    service: number;
    /** The visit that is open. */
    picked?: string;
    why?: Asked;
    onday: (date: string) => void;
    onperson: (id: number) => void;
    onpick: (key: string) => void;
    onask: (staff: number, at: number) => void;
    ontitle?: (title: string) => void;
    /** Tells which lanes are shown, whenever they have been read. */
    onlanes: (lanes: Shape<'WallLane'>[]) => void;
  } = $props();

  const answer = query(() =>
    data(
      api.GET('/api/wall/week', {
        params: { query: { date, page, staff, service, clock: clock.kind, zones: clock.zones } },
      }),
    ),
  );
  const week = $derived(answer.value);
  const fault = $derived(answer.problem?.message ?? '');
  $effect(() => {
    if (!week) return;
    ontitle?.(week.title);
    onlanes(week.people.flatMap((p) => p.days));
  });

  const person = $derived(staff ? week?.people[0] : undefined);
  const marks = $derived.by(() => {
    const labels = week?.hours ?? [];
    return labels.slice(0, -1).map((label, i) => ({ at: i, label }));
  });
</script>

{#snippet drawn(w: Shape<'WallWeek'>, lane: Shape<'WallLane'>)}
  <Lane
    axis={axisOf(lane)}
    layers={layersOf(w, lane)}
    small={!staff}
    {picked}
    asked={why?.staff === lane.staff.id ? why.instant : undefined}
    onpick={(s) => onpick(s.key)}
    onask={service ? (at) => onask(lane.staff.id, at) : undefined}
  />
{/snippet}

{#if fault}<div class="p-4"><Notice tone="wrong">{fault}</Notice></div>{/if}
{#if week && person}
  <div class="lanes">
    <b class="top truncate pt-1 text-sm" title={person.staff.name}>{person.staff.name}</b>
    <div class="top"><Hours axis={{ from: 0, to: marks.length }} {marks} /></div>
    {#each week.days as d, i (d.date)}
      {@const lane = person.days[i]}
      <button class="who" class:today={d.date === week.today} onclick={() => onday(d.date)}>
        <b>{d.words}</b><span>{lane?.note ?? ''}</span>
      </button>
      <section class="row" aria-label="{d.words}, {lane?.note ?? ''}">
        {#if lane}{@render drawn(week, lane)}{/if}
      </section>
    {/each}
  </div>
{:else if week}
  <div class="grid" style="--people:{week.people.length}">
    <span class="top"></span>
    {#each week.days as d (d.date)}
      <button class="head top" class:today={d.date === week.today} onclick={() => onday(d.date)}
        >{d.words}</button
      >
    {/each}
    {#each week.people as p (p.staff.id)}
      <button class="name" title="{p.staff.name}’s week" onclick={() => onperson(p.staff.id)}
        >{p.staff.name}</button
      >
      {#each p.days as lane, i (i)}
        {@const d = week.days[i]}
        <section class="cell" aria-label="{p.staff.name}, {d?.words ?? ''}: {lane.note}">
          {@render drawn(week, lane)}
        </section>
      {/each}
    {/each}
  </div>
{/if}

<style>
  /* The hours, or the days, stay in view while what is below them is scrolled. */
  .top {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--color-page);
  }
  .lanes {
    display: grid;
    grid-template-columns: 176px minmax(0, 1fr);
    column-gap: 8px;
    padding-bottom: 16px;
  }
  .who {
    display: grid;
    align-content: start;
    justify-items: start;
    padding: 8px 6px;
    text-align: left;
    cursor: pointer;
    font-size: 0.875rem;
  }
  .who span {
    font-size: 0.8125rem;
    color: var(--color-mute);
  }
  .who.today b,
  .head.today {
    color: var(--color-gold-ink);
  }
  .row {
    height: 80px;
    padding-bottom: 8px;
  }
  .grid {
    display: grid;
    grid-template-columns: 118px repeat(7, minmax(96px, 1fr));
    gap: 3px;
    padding-bottom: 16px;
  }
  /* On a narrow screen the days are scrolled sideways, below nothing. */
  @media (max-width: 900px) {
    .grid {
      overflow-x: auto;
    }
  }
  .head {
    padding: 2px 4px;
    text-align: left;
    font-size: 0.8125rem;
    font-weight: 600;
    color: var(--color-mute);
    cursor: pointer;
  }
  .name {
    position: sticky;
    left: 0;
    z-index: 2;
    padding: 8px 6px 0 0;
    text-align: left;
    align-self: stretch;
    background: var(--color-page);
    font-size: 0.875rem;
    font-weight: 700;
    overflow-wrap: anywhere;
    cursor: pointer;
  }
  .name:hover,
  .who:hover b,
  .head:hover {
    text-decoration: underline;
  }
  .cell {
    height: 64px;
  }
  @media print {
    .lanes,
    .grid {
      print-color-adjust: exact;
      padding-bottom: 0;
    }
    .top {
      position: static;
    }
    .cell {
      height: min(64px, calc(150mm / var(--people) - 3px));
    }
    .name {
      padding-top: 0;
      align-self: start;
      font-size: min(14px, calc(120mm / var(--people)));
      line-height: 1.1;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
  }
</style>
