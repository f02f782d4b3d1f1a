<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { cityOf } from '$lib/hours/dates';
  import { keepClock, type Clock } from './settings';

  /** What a client chooses before a start: with whom, how long, for how many, and by which clock. */
  let {
    page,
    moving,
    staff = $bindable(),
    length = $bindable(),
    places = $bindable(),
    zone = $bindable(),
    clock = $bindable(),
  }: {
    page: Shape<'Page'>;
    /** The token of a booking that is to be moved, if one is: how many come stays as it is. */
    moving: string;
    staff: number;
    length: number;
    places: number;
    zone: string;
    clock: Clock;
  } = $props();

  /** All zones are hundreds: they come once what is seen first stands. */
  let known = $state.raw<string[]>([]);
  $effect(() => {
    const later = setTimeout(() => (known = Intl.supportedValuesOf('timeZone')), 1500);
    return () => clearTimeout(later);
  });
  const allZones = () => (known = Intl.supportedValuesOf('timeZone'));
  const zones = $derived([...new Set([zone, page.home, ...known])]);
</script>

<div class="tools">
  {#if page.staff.length > 1}
    <label class="select tool sm:w-52">
      <span class="label">With</span>
      <select bind:value={staff}>
        <option value={0}>anyone free</option>
        {#each page.staff as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
      </select>
    </label>
  {/if}
  {#if page.lengths.length}
    <label class="select tool sm:w-48">
      <span class="label">Lasts</span>
      <select bind:value={length}>
        {#each page.lengths as l, i (l.minutes)}<option value={i ? l.minutes : 0}>{l.label}</option>{/each}
      </select>
    </label>
  {/if}
  {#if page.places > 1 && !moving}
    <label class="select tool sm:w-36">
      <span class="label">For</span>
      <select bind:value={places} aria-label="How many">
        {#each { length: page.places }, i (i)}<option value={i + 1}>{i + 1}</option>{/each}
      </select>
    </label>
  {/if}
  <label class="select tool sm:w-60">
    <span class="label">Times for</span>
    <select bind:value={zone} onfocus={allZones} onpointerenter={allZones}>
      {#each zones as z (z)}<option value={z}>{cityOf(z)}</option>{/each}
    </select>
  </label>
  <div class="join" role="group" aria-label="Clock">
    {#each ['24', '12'] as const as c (c)}
      <button
        class="btn join-item"
        class:btn-secondary={clock === c}
        aria-pressed={clock === c}
        onclick={() => {
          clock = c;
          keepClock(c);
        }}>{c} h</button
      >
    {/each}
  </div>
</div>

<style>
  .tools {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: 12px 16px;
  }
  @media (max-width: 700px) {
    /* The tools share one row; what they are for is said to who cannot see it. */
    .tools {
      width: 100%;
      gap: 8px;
    }
    .tools :global(.tool) {
      flex: 1 1 6.5rem;
      width: auto;
      min-width: 0;
    }
    .tools :global(.tool .label) {
      position: absolute;
      clip-path: inset(50%);
    }
    .tools :global(.join .btn) {
      padding-inline: 0.7rem;
    }
  }
</style>
