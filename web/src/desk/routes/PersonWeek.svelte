<script lang="ts">
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import { searchParams } from 'sv-router';
  import { api, data, everything, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { addDays, dateIn, longDate } from '$lib/hours/dates';
  import Notice from '$lib/ui/Notice.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { navigate, route } from '../router';
  import { session } from '../session.svelte';
  import BookingPanel from '../wall/BookingPanel.svelte';
  import Week from '../wall/Week.svelte';
  import WhyPanel from '../wall/WhyPanel.svelte';
  import { ask, asked, close, open, opened } from '../aside';

  const id = $derived(Number(route.params.id));
  const date = $derived(String(searchParams.get('date') ?? ''));
  const why = $derived(asked());
  const picked = $derived(opened());
  const zone = $derived(session.now?.business?.zone ?? 'UTC');
  const person = query(() => data(api.GET('/api/staff/{id}', { params: { path: { id } } })));
  const offered = query(() => everything((query) => api.GET('/api/services', { params: { query } })));
  const member = $derived(person.value?.id === id ? person.value : undefined);
  const services = $derived(offered.value ?? []);
  const missing = $derived(person.problem?.message ?? '');
  let title = $state('');
  let lanes = $state<Shape<'WallLane'>[]>([]);

  /** What this person performs; where that is nothing, starts of any service can be asked about. */
  const performed = $derived.by(() => {
    const own = services.filter((s) => s.staff.includes(id));
    return own.length ? own : services;
  });
  const service = $derived(Number(searchParams.get('service') ?? 0) || (performed[0]?.id ?? 0));
  const visits = $derived(lanes.flatMap((l) => l.visits));
  const found = $derived(visits.find((v) => String(v.id) === picked));
  const free = $derived(lanes.flatMap((l) => l.starts).filter((s) => s.offered).length);
  const named = $derived(performed.find((s) => s.id === service)?.name ?? '');

  function move(by: number) {
    close();
    searchParams.set('date', by ? addDays(date || (member?.today ?? ''), by) : '');
  }
  /** Asks about a start, and shows the week in which it lies. */
  function question(staff: number, at: string | number) {
    ask(staff, at);
    searchParams.set('date', dateIn(zone, at));
  }
</script>

{#if missing && !member}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{missing}</Notice></div>
{:else if member}
  <PersonFrame {member} here="week">
    {#snippet sentence()}
      {visits.length === 1 ? 'One visit' : `${visits.length || 'No'} visits`} in the week of
      <b>{title}</b>{#if named}, and
        <b>{free === 1 ? 'one start' : `${free || 'no'} starts`}</b> still offered for {named}{/if}.
    {/snippet}
    <div class="flex flex-wrap items-center gap-3">
      <button class="btn btn-square btn-sm" aria-label="Week before" onclick={() => move(-7)}
        ><ChevronLeft size={18} /></button
      >
      <button class="btn btn-sm" onclick={() => move(0)}>This week</button>
      <button class="btn btn-square btn-sm" aria-label="Week after" onclick={() => move(7)}
        ><ChevronRight size={18} /></button
      >
      <b>{title}</b>
      {#if performed.length}
        <label class="ml-auto flex items-center gap-2 text-sm text-mute">
          Starts for
          <select
            class="select w-44 select-sm font-semibold text-ink"
            value={service}
            onchange={(e) => searchParams.set('service', e.currentTarget.value)}
          >
            {#each performed as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
          </select>
        </label>
      {/if}
    </div>
    <div class="flex gap-4">
      <div class="min-w-0 grow">
        <Week
          {date}
          staff={id}
          {service}
          {picked}
          {why}
          onday={(d) => navigate('/', { search: { date: d, service } })}
          onperson={() => undefined}
          onpick={open}
          onask={question}
          ontitle={(t) => (title = t)}
          onlanes={(all) => (lanes = all)}
        />
      </div>
      {#if why && service}
        <WhyPanel {service} staff={why.staff} at={why.at} onmove={question} onclose={close} />
      {:else if found}
        <BookingPanel
          visit={found}
          staff={member.name}
          title={longDate(dateIn(zone, found.start))}
          onclose={close}
        />
      {/if}
    </div>
  </PersonFrame>
{/if}
