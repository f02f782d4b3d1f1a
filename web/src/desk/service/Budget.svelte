<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import { session } from '../session.svelte';
  import { axisOf, layersOf } from '../wall/layers';
  import WhyPanel from '../wall/WhyPanel.svelte';
  import { ask, asked, unask, type Asked } from '../why';
  import Notice from '$lib/ui/Notice.svelte';

  /** Where the coming four weeks go with the values in the form: an arcade of what each rule costs. */
  let {
    preview,
    service,
    now = $bindable(),
    shown = $bindable(),
    performers,
    draft,
  }: {
    preview: Shape<'Preview'>;
    service: number;
    /** As if it were another moment, on the business's clock; empty for the present one. */
    now: string;
    /** The date that is opened. */
    shown: string;
    /** How many people perform it. */
    performers: number;
    /** The values in the form, where they are not what is saved or another moment is asked about. */
    draft?: Shape<'ServiceFields'>;
  } = $props();

  let opened = $state('');
  const day = $derived(preview.weeks.flat().find((d) => d.date === shown));

  const steps = $derived(preview.steps.filter((s) => s.lost > 0 || s.was > 0));
  const tall = $derived(Math.max(1, preview.possible));
  /** How high each arch stands: what is left before its rule has taken its part. */
  const arches = $derived(
    steps.map((s, i) => {
      const before = preview.possible - steps.slice(0, i).reduce((sum, p) => sum + p.lost, 0);
      return {
        ...s,
        left: before - s.lost,
        height: (before / tall) * 100,
        cut: before ? (s.lost / before) * 100 : 0,
      };
    }),
  );
  const open = $derived(preview.steps.find((s) => s.code === opened));
  const number = (n: number) => n.toLocaleString('en-GB').replace(',', ' ');
  const busiest = $derived(Math.max(1, ...preview.weeks.flat().map((d) => d.offered)));
  const wallPath = (date: string) => `/?date=${date}&service=${service}`;
  const why = $derived(asked());
  const zone = $derived(session.now?.business?.zone ?? 'UTC');
  const lanes = $derived(preview.day?.date === shown ? preview.day : undefined);
</script>

{#snippet trail(why: Asked)}
  <WhyPanel
    {service}
    staff={why.staff}
    at={why.at}
    {zone}
    draft={draft ? { fields: draft, now } : undefined}
    inside
    onmove={ask}
    onclose={unask}
  />
{/snippet}

<section class="grid gap-3" aria-label="The next four weeks">
  <div>
    <h2 class="text-lg">Where the next four weeks go</h2>
    <p class="text-sm text-mute">
      Possible starts of everybody who performs it, {preview.words}, with the values in the form. Open a step
      to see the starts that it costs.
    </p>
  </div>
  <div class="arcade" role="group" aria-label="Slot budget">
    <div class="step">
      <span class="niche"><i class="whole" style="height:{preview.possible ? 100 : 0}%"></i></span>
      <b>{number(preview.possible)}</b><span>possible</span>
    </div>
    {#each arches as s (s.code)}
      <button
        type="button"
        class="step"
        class:opened={opened === s.code}
        aria-expanded={opened === s.code}
        aria-label="{s.name}: costs {s.lost}{s.was >= 0 && s.was !== s.lost ? `, ${s.was} as saved` : ''}"
        onclick={() => (opened = opened === s.code ? '' : s.code)}
      >
        <span class="niche">
          <i class="stands" style="height:{s.height}%"><i class="bricked" style="height:{s.cut}%"></i></i>
        </span>
        <b>−{number(s.lost)}</b><span>{s.name}</span>
        {#if s.was >= 0 && s.was !== s.lost}<span class="was">was −{number(s.was)}</span>{/if}
      </button>
    {/each}
    <div class="step">
      <span class="niche"><i class="offered" style="height:{(preview.offered / tall) * 100}%"></i></span>
      <b>{number(preview.offered)}</b><span>offered</span>
      {#if preview.was >= 0 && preview.was !== preview.offered}
        <span class="was">was {number(preview.was)}</span>
      {/if}
    </div>
  </div>
  <p class="effect" role="status" aria-label="Effect of the change">
    {#if preview.possible === 0 && preview.was <= 0}
      {performers
        ? 'Nobody who performs it has hours in these weeks.'
        : 'Nobody performs it yet. Choose who does, and the coming weeks are shown here.'}
    {:else if preview.effect}{preview.effect}
    {:else if preview.was < 0}With these values, {number(preview.offered)} starts would be offered.
    {:else}What is saved offers {number(preview.was)} starts. Change a value to see what it wins or loses.{/if}
  </p>
  {#if preview.misfitCount > 0}
    <Notice>
      <b>
        {preview.misfitCount === 1 ? 'One booking' : `${preview.misfitCount} bookings`} would no longer fit:
      </b>
      {preview.misfits.map((m) => `${m.client}, ${m.when}`).join('; ')}{preview.misfitCount >
      preview.misfits.length
        ? ' and more'
        : ''}. {preview.misfitCount === 1 ? 'It is' : 'They are'} kept, if you save.
    </Notice>
  {/if}
  {#if open}
    <div class="sheet grid gap-2 p-4">
      <h3 class="font-bold">
        {open.lost === 1 ? 'One start goes' : `${number(open.lost)} starts go`} to “{open.name}”
      </h3>
      {#if open.starts.length === 0}<p class="text-mute">None with the present values.</p>{/if}
      <ul class="flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {#each open.starts as s (s.at + String(s.staff.id))}
          <li>
            <button type="button" class="link-plain" onclick={() => ask(s.staff.id, s.at)}>{s.words}</button>
            {s.staff.name.split(' ')[0]}
          </li>
        {/each}
      </ul>
      {#if open.lost > open.starts.length}
        <p class="text-sm text-mute">The first {open.starts.length} are shown.</p>
      {/if}
    </div>
  {/if}

  {#if why && !lanes}{@render trail(why)}{/if}

  <div class="flex flex-wrap items-center gap-x-3 gap-y-1 pt-2">
    <h2 class="text-lg">What a client would see</h2>
    <label class="ml-auto flex items-center gap-2 text-sm text-mute">
      as if it were
      <input class="input w-52 input-sm" type="datetime-local" bind:value={now} />
    </label>
    {#if now}<button type="button" class="link-plain text-sm" onclick={() => (now = '')}>now again</button
      >{/if}
  </div>
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
            {#if t.offered}<i style="left:{((t.minute - 420) / 840) * 100}%"></i>{/if}
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
        <a class="link-plain ml-auto text-sm" href={wallPath(day.date)}>see the day on the wall</a>
      </div>
      {#if lanes}
        {@const axis = axisOf(lanes)}
        <div class="lanes">
          <span></span>
          <Hours {axis} marks={lanes.marks.map((m) => ({ at: Date.parse(m.at), label: m.label }))} />
          {#each lanes.lanes as l (l.staff.id)}
            <a class="truncate pt-1.5 text-sm font-semibold hover:underline" href="/team/{l.staff.id}"
              >{l.staff.name}</a
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
  {#if why && lanes}{@render trail(why)}{/if}
</section>

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
  .arcade {
    display: flex;
    gap: 6px;
    overflow-x: auto;
    padding: 2px;
  }
  .step {
    flex: 1 1 0;
    min-width: 76px;
    display: flex;
    flex-direction: column;
    align-items: center;
    font-size: 0.8125rem;
    line-height: 1.3;
    text-align: center;
    color: var(--color-mute);
  }
  .step b {
    color: var(--color-ink);
    font-size: 0.9375rem;
  }
  button.step {
    cursor: pointer;
    border-radius: 6px;
    padding-bottom: 3px;
  }
  button.step:hover,
  button.step.opened {
    background: var(--color-secondary);
    color: var(--color-ink);
  }
  .niche {
    position: relative;
    display: block;
    width: 54px;
    height: 116px;
    margin-bottom: 4px;
  }
  .niche > i {
    position: absolute;
    inset: auto 0 0;
    overflow: hidden;
    border-radius: 27px 27px 0 0;
  }
  .whole {
    background: var(--color-tick-none);
  }
  .stands {
    background: var(--color-edge);
  }
  .bricked {
    position: absolute;
    inset: 0 0 auto;
    background: var(--color-joint);
  }
  .bricked::after {
    content: '';
    position: absolute;
    inset: 0;
    background: var(--color-tick-none);
    mask: url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' width='18' height='12'%3E%3Cpath d='M.5 .5h17v5H.5zM0 6.5h8.5v5H0zM9.5 6.5H18v5H9.5z'/%3E%3C/svg%3E");
  }
  .offered {
    background: var(--color-primary);
  }
  .was {
    font-size: 0.75rem;
    color: var(--color-gold-ink);
  }
  .effect {
    padding: 10px 14px;
    background: var(--color-secondary);
    color: var(--color-secondary-content);
    border-radius: 6px;
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
    width: 2.5px;
    height: 8px;
    border-radius: 1px;
    background: var(--color-tick);
  }
</style>
