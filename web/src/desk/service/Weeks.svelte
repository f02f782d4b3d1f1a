<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { left } from '$lib/lane/geometry';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import { axisOf, layersOf } from '../wall/layers';
  import { ask, asked } from '../aside';

  /** The four weeks as a client would see them, and the day that is opened, person by person. */
  let {
    preview,
    service,
    unsaved,
    shown = $bindable(),
  }: {
    preview: Shape<'Preview'>;
    service: number;
    /** Whether values in the form are not saved: a way out of it opens beside it then. */ unsaved: boolean;
    /** The date that is opened. */ shown: string;
  } = $props();

  const day = $derived(preview.weeks.flat().find((d) => d.date === shown));
  const lanes = $derived(preview.day?.date === shown ? preview.day : undefined);
  const why = $derived(asked());
  const busiest = $derived(Math.max(1, ...preview.weeks.flat().map((d) => d.offered)));
  /** The minutes of the day over which the sills reach: the daytime, and further where starts are offered. */
  const reach = $derived.by(() => {
    const all = preview.weeks.flat().flatMap((d) => d.ticks.filter((t) => t.offered).map((t) => t.minute));
    return { from: Math.min(7 * 60, ...all), to: Math.max(21 * 60, ...all.map((m) => m + 15)) };
  });
  const wallPath = (date: string) => `/?date=${date}&service=${service}`;
</script>

<div class="weeks">
  {#each preview.weeks.flat() as d (d.date)}
    <button
      type="button"
      class="day"
      class:over={d.over}
      class:chosen={shown === d.date}
      aria-expanded={shown === d.date}
      aria-label="{d.words}: {d.offered} offered"
      onclick={() => (shown = shown === d.date ? '' : d.date)}
      title="{d.words}: {d.offered} offered{d.was >= 0 && d.was !== d.offered ? `, ${d.was} as saved` : ''}"
    >
      <span class="flex justify-between">
        <span class="text-mute">{d.words.slice(0, 3)} {d.day}</span>
        {#if d.open && !d.over}
          <b class:less={d.was > d.offered} class:more={d.was >= 0 && d.was < d.offered}>{d.offered}</b>
        {/if}
      </span>
      {#if d.open}<span class="alcove" style="height:{12 + (d.offered / busiest) * 32}%"></span>{/if}
      <span class="sill">
        {#each d.ticks as t (t.minute)}
          {#if t.offered}<i style="left:{left(reach, t.minute)}%"></i>{/if}
        {/each}
      </span>
    </button>
  {/each}
</div>
{#if day}
  <div class="sheet grid gap-2 p-3" role="region" aria-label="Offered on {day.words}">
    <div class="flex flex-wrap items-center gap-2">
      <b>{day.words}:</b>
      {#each day.times as t (t)}<span class="token">{t}</span>{:else}<span class="text-mute"
          >nothing is offered</span
        >{/each}
      <a class="link-plain ml-auto text-sm" target={unsaved ? '_blank' : undefined} href={wallPath(day.date)}
        >see the day on the wall</a
      >
    </div>
    {#if lanes}
      {@const axis = axisOf(lanes)}
      <div class="lanes">
        <span></span>
        <Hours {axis} marks={lanes.marks.map((m) => ({ at: Date.parse(m.at), label: m.label }))} />
        {#each lanes.lanes as l (l.staff.id)}
          <a
            class="truncate pt-1.5 text-sm font-semibold hover:underline"
            target={unsaved ? '_blank' : undefined}
            href="/team/{l.staff.id}">{l.staff.name}</a
          >
          <section class="lane-row" aria-label="{l.staff.name}, {l.note}">
            <Lane
              axis={axisOf(l)}
              layers={layersOf(lanes, l)}
              asked={why?.staff === l.staff.id ? why.instant : undefined}
              onask={(at) => ask(l.staff.id, at)}
            />
          </section>
        {/each}
      </div>
    {/if}
  </div>
{/if}

<style>
  .lanes {
    display: grid;
    grid-template-columns: 96px minmax(0, 1fr);
    column-gap: 8px;
  }
  .lane-row {
    height: 62px;
    padding-bottom: 5px;
  }
  .weeks {
    display: grid;
    grid-template-columns: repeat(7, minmax(0, 1fr));
    gap: 3px;
  }
  .day {
    position: relative;
    height: 62px;
    padding: 3px 6px;
    font-size: 0.8125rem;
    background: var(--color-wall);
    overflow: hidden;
  }
  .token {
    padding: 1px 8px;
    border-radius: 7px 7px 2px 2px;
    background: var(--color-secondary);
    color: var(--color-secondary-content);
    font-size: 0.875rem;
  }
  .day {
    text-align: left;
    cursor: pointer;
  }
  .day.chosen {
    outline: 2px solid var(--color-primary);
    outline-offset: -2px;
  }
  .day.over {
    opacity: 0.5;
  }
  .day > span:first-child {
    position: absolute;
    inset: 3px 6px auto;
    z-index: 1;
  }
  .less {
    color: color-mix(in srgb, var(--color-brick), var(--color-ink) 30%);
  }
  .less::before {
    content: '▾';
  }
  .more {
    color: color-mix(in srgb, var(--color-moss), var(--color-ink) 30%);
  }
  .more::before {
    content: '▴';
  }
  .alcove {
    position: absolute;
    inset: auto 14% 12px;
    border-radius: 8px 8px 0 0;
    background: var(--color-alcove);
    box-shadow: inset 0 2px 3px -1px var(--color-recess);
  }
  .sill {
    position: absolute;
    inset: auto 0 0;
    height: 12px;
    background: var(--color-sill);
    border-top: 1.5px solid var(--color-sill-line);
  }
  .sill i {
    position: absolute;
    bottom: 1px;
    width: 1.5px;
    height: 8px;
    border-radius: 1px;
    background: var(--color-tick);
  }
</style>
