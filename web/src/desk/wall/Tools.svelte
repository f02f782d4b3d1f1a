<script lang="ts">
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import type { Shape } from '$lib/api/client';
  import DateInput from '$lib/ui/DateInput.svelte';
  import { choose, clock } from '../clock.svelte';
  import Ribbon from './Ribbon.svelte';
  import { viewNames, views, type View } from './views';

  /** What is shown on the wall: which days, in which view, whose, with which starts, by which clock. */
  let {
    wall,
    view,
    person,
    title,
    today,
    onlook,
    onshow,
    onmove,
    onservice,
    onkeys,
  }: {
    wall: Shape<'Wall'>;
    view: View;
    person: number;
    /** The days that are shown, in words. */
    title: string;
    today: string;
    onlook: (view: View, person?: number) => void;
    /** Shows a date; today for an empty one. */
    onshow: (date: string) => void;
    onmove: (by: -1 | 1) => void;
    onservice: (id: string) => void;
    onkeys: () => void;
  } = $props();

  let jump: DateInput;
  /** Puts the cursor where a date is typed. */
  export function focusDate(): void {
    jump.focus();
  }
  /** What is typed into it, until the wall shows that day. */
  let typed = $state('');
  const shownDate = $derived(typed || wall.date);
  const strangers = $derived(wall.lanes.some((l) => l.away));
</script>

<div class="tools flex-none border-b border-edge bg-base-100 px-4 pt-1.5 pb-2">
  <div class="flex flex-wrap items-center gap-x-2 gap-y-2">
    <div class="flex min-w-0 grow items-center gap-x-2 xl:grow-0 xl:basis-208">
      <button
        class="btn btn-ghost btn-square btn-sm"
        aria-label="{viewNames[view]} before"
        onclick={() => onmove(-1)}><ChevronLeft size={18} /></button
      >
      {#if view === 'month'}<b class="min-w-40 text-center text-lg">{title}</b>
      {:else}<Ribbon days={wall.days} date={wall.date} {today} onpick={onshow} />{/if}
      <button
        class="btn btn-ghost btn-square btn-sm"
        aria-label="{viewNames[view]} after"
        onclick={() => onmove(1)}><ChevronRight size={18} /></button
      >
    </div>
    <button class="btn btn-sm" onclick={() => onshow('')}>Today</button>
    <DateInput
      class="w-34"
      small
      aria-label="Jump to a date"
      bind:this={jump}
      bind:value={() => shownDate, (d) => (typed = d)}
      onpick={(d) => {
        typed = '';
        if (d !== wall.date) onshow(d);
      }}
    />
    <div class="join ml-auto" role="group" aria-label="View">
      {#each views as v (v)}
        <button
          class="btn join-item btn-sm"
          class:btn-secondary={v === view}
          aria-pressed={v === view}
          onclick={() => onlook(v)}>{viewNames[v]}</button
        >
      {/each}
    </div>
  </div>
  <div class="flex flex-wrap items-center gap-x-4 gap-y-1 pt-1.5">
    <b class="whitespace-nowrap">{view === 'month' ? 'People by days' : title}</b>
    {#if view === 'day'}
      <span class="means" aria-hidden="true"
        >of a day’s hours: <i class="booked"></i> booked <i class="busy"></i> personal <i></i> open</span
      >
    {/if}
    {#if view === 'week'}
      <select
        class="select w-40 select-sm"
        aria-label="Whose week"
        value={person}
        onchange={(e) => onlook('week', Number(e.currentTarget.value))}
      >
        <option value={0}>The team</option>
        {#each wall.lanes as l (l.staff.id)}<option value={l.staff.id}>{l.staff.name}</option>{/each}
      </select>
    {/if}
    <div class="ml-auto flex flex-wrap items-center gap-x-4 gap-y-1">
      {#if wall.services.length === 0}
        <a class="link-plain text-sm" href="/services/new">Define the first service</a>
      {:else if view !== 'month'}
        <label class="flex items-center gap-2 text-sm text-mute">
          Starts for
          <select
            class="select w-44 select-sm font-semibold text-ink"
            value={wall.service}
            onchange={(e) => onservice(e.currentTarget.value)}
          >
            {#each wall.services as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
          </select>
        </label>
      {/if}
      {#if strangers || clock.zones === 'person'}
        <label class="flex items-center gap-2 text-sm text-mute">
          By the clock
          <select
            class="select w-42 select-sm font-semibold text-ink"
            value={clock.zones}
            onchange={(e) => choose('zones', e.currentTarget.value === 'person' ? 'person' : 'business')}
          >
            <option value="business">of the business</option>
            <option value="person">of each person</option>
          </select>
        </label>
      {/if}
      <button
        class="btn btn-ghost btn-sm"
        aria-label="Clock of {clock.kind} hours; change it"
        onclick={() => choose('kind', clock.kind === '24' ? '12' : '24')}>{clock.kind} h</button
      >
      <button class="btn btn-ghost btn-square btn-sm" aria-label="Keys" onclick={onkeys}>?</button>
    </div>
  </div>
</div>

<style>
  /* What the bars of the days mean. */
  .means {
    font-size: 0.8125rem;
    color: var(--color-mute);
    white-space: nowrap;
  }
  .means i {
    display: inline-block;
    width: 6px;
    height: 11px;
    margin: 0 2px 0 6px;
    border-radius: 3px 3px 0 0;
    background: var(--color-base-300);
  }
  .means .booked {
    background: var(--color-tick);
  }
  .means .busy {
    background: var(--color-tick-none);
  }
  @media (max-width: 899px) {
    .means {
      display: none;
    }
  }
  @media print {
    .tools {
      display: none;
    }
  }
</style>
