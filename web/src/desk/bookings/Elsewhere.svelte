<script lang="ts">
  import { searchParams } from 'sv-router';
  import { clientHears } from '../hears';
  import { api, data, everything, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { session } from '../session.svelte';
  import Anyway from './Anyway.svelte';
  import Starts from './Starts.svelte';

  /** Moves a booking, or hands it over: near starts, others, and one that rules refuse. */
  let { booking, onmoved }: { booking: Shape<'ShownBooking'>; onmoved: () => void } = $props();

  let from = $state(String(searchParams.get('from') ?? ''));
  let staff = $state(0);
  let chosen = $state.raw<{ at: string; staff: number; words: string }>();
  let anyway = $state(false);
  let [date, time, why, who] = $state(['', '', '', 0] as [string, string, string, number]);
  let busy = $state(false);
  let problem = $state<Problem>();

  const zone = $derived(session.now?.business?.zone ?? 'UTC');
  const ways = query(
    async () =>
      (await data(api.GET('/api/bookings/{id}/ways', { params: { path: { id: booking.id } } }))).items,
    ['bookings', 'calendars'],
  );
  const services = query(() => everything((q) => api.GET('/api/services', { params: { query: q } })));
  const service = $derived(services.value?.find((s) => s.id === booking.serviceId));
  const team = query(() => everything((q) => api.GET('/api/staff', { params: { query: q } })));
  const people = $derived(
    (team.value ?? []).filter((m) => service?.staff.includes(m.id)).map((m) => ({ id: m.id, name: m.name })),
  );

  async function move(body: Shape<'DeskMove'>) {
    [busy, problem] = [true, undefined];
    try {
      await api.POST('/api/bookings/{id}/move', { params: { path: { id: booking.id } }, body });
      onmoved();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<section class="sheet grid gap-4 px-4 py-4" aria-label="Move">
  {#if ways.value?.length}
    <div>
      <h3 class="pb-1 text-sm font-semibold text-mute">Nearby</h3>
      <div class="flex flex-wrap gap-2">
        {#each ways.value as w (w.start + String(w.staff.id))}
          <button
            type="button"
            class={['btn btn-sm', chosen?.words === w.words && 'btn-secondary']}
            aria-pressed={chosen?.words === w.words}
            onclick={() => (chosen = { at: w.start, staff: w.staff.id, words: w.words })}>{w.words}</button
          >
        {/each}
      </div>
    </div>
  {/if}
  {#if service}
    <div class="grid gap-2">
      <h3 class="flex flex-wrap items-center gap-3 text-sm font-semibold text-mute">
        Other starts with
        <select class="select select-sm w-48 text-ink" aria-label="With" bind:value={staff}>
          <option value={0}>anyone</option>
          {#each people as p (p.id)}<option value={p.id}>{p.name}</option>{/each}
        </select>
      </h3>
      <Starts
        slug={service.slug}
        {staff}
        length={booking.length}
        {zone}
        chosen={chosen?.at ?? ''}
        bind:from
        onchoose={(s) => (chosen = { at: s.at, staff, words: `Move it to ${s.full}` })}
      />
    </div>
  {/if}
  {#if problem && !anyway}<Notice tone="wrong">{problem.message}</Notice>{/if}
  {#if chosen && !anyway}
    {@const to = chosen}
    <div class="flex flex-wrap items-center gap-3 border-t border-base-300 pt-3">
      <p class="grow">
        <b>{to.words}</b>
        <span class="block text-sm text-mute">its copies are written anew; {clientHears()}</span>
      </p>
      <button
        type="button"
        class="btn btn-primary"
        disabled={busy}
        onclick={() => void move({ start: to.at, staff: to.staff })}>Move it</button
      >
    </div>
  {/if}
  <div class="border-t border-base-300 pt-3">
    {#if anyway}
      <form
        class="grid gap-3"
        onsubmit={(e) => {
          e.preventDefault();
          void move({ wall: `${date} ${time}`, staff: who, anyway: why.trim() || ' ' });
        }}
      >
        <Anyway {people} fields={problem?.fields ?? {}} bind:date bind:time bind:staff={who} bind:why />
        {#if problem && !Object.keys(problem.fields).length}<Notice tone="wrong">{problem.message}</Notice
          >{/if}
        <div class="flex gap-2">
          <button class="btn btn-primary btn-sm" disabled={busy || !date || !time || !who || !why.trim()}
            >Move it anyway</button
          >
          <button type="button" class="btn btn-sm" onclick={() => (anyway = false)}>Keep to the rules</button>
        </div>
      </form>
    {:else}
      <button type="button" class="link-plain text-sm" onclick={() => (anyway = true)}
        >a time that is not offered…</button
      >
    {/if}
  </div>
</section>
