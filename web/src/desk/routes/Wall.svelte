<script lang="ts">
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import { searchParams } from 'sv-router';
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import { between, left } from '$lib/lane/geometry';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import BookingPanel from '../wall/BookingPanel.svelte';
  import WhyPanel from '../wall/WhyPanel.svelte';
  import { layersOf } from '../wall/layers';
  import Pulse from '../wall/Pulse.svelte';
  import Ribbon from '../wall/Ribbon.svelte';

  let wall = $state<Shape<'Wall'>>();
  let fault = $state('');
  let picked = $state('');
  let asked = 0;

  const date = $derived(String(searchParams.get('date') ?? ''));
  const service = $derived(Number(searchParams.get('service') ?? 0));

  async function load(date: string, service: number) {
    const turn = ++asked;
    try {
      const got = await data(api.GET('/api/wall', { params: { query: { date, service } } }));
      if (turn === asked) [wall, fault] = [got, ''];
    } catch (cause) {
      if (turn === asked) fault = problemOf(cause).message;
    }
  }
  $effect(() => void load(date, service));
  $effect(() => listen(() => void load(date, service)));
  // The now-line moves and calendars age also when nothing else happens.
  $effect(() => {
    const timer = setInterval(() => void load(date, service), 30_000);
    return () => clearInterval(timer);
  });

  const axis = $derived(wall ? between({ start: wall.from, end: wall.to }) : { start: 0, end: 1 });
  const now = $derived(wall ? Date.parse(wall.now) : 0);
  const ends = $derived({ from: axis.start, to: axis.end });
  const marks = $derived(
    (wall?.marks ?? [])
      .map((m) => ({ at: Date.parse(m.at), label: m.label }))
      // A mark under the label of the now-line could not be read.
      .filter((m) => Math.abs(left(ends, m.at) - left(ends, now)) > 3.3 || now < ends.from || now > ends.to),
  );
  const today = $derived(wall?.now.slice(0, 10) ?? '');
  const found = $derived(
    wall?.lanes
      .flatMap((l) => l.visits.map((v) => ({ visit: v, staff: l.staff.name })))
      .find((f) => String(f.visit.id) === picked),
  );

  /** What is asked about, kept in the address so that it can be sent to a colleague: PERSON@INSTANT. */
  const why = $derived.by(() => {
    const [staff, at] = String(searchParams.get('why') ?? '').split('@');
    const instant = Date.parse(at ?? '');
    return staff && at && !Number.isNaN(instant) ? { staff: Number(staff), at, instant } : undefined;
  });
  const iso = (at: number) => new Date(at).toISOString().replace('.000', '');
  function ask(staff: number, at: string) {
    picked = '';
    searchParams.set('why', `${staff}@${at}`);
    const day = new Intl.DateTimeFormat('en-CA', { timeZone: wall?.zone }).format(Date.parse(at));
    if (wall && day !== wall.date) searchParams.set('date', day);
  }
  function pick(key: string) {
    picked = key;
    searchParams.delete('why');
  }

  function show(day: string) {
    picked = '';
    searchParams.delete('why');
    searchParams.set('date', day);
  }
  function move(days: number) {
    if (!wall) return;
    const at = Date.parse(`${wall.date}T12:00:00Z`) + days * 86_400_000;
    show(new Date(at).toISOString().slice(0, 10));
  }
  const clock = (at: number) =>
    new Intl.DateTimeFormat('en-GB', { timeZone: wall?.zone, hour: '2-digit', minute: '2-digit' }).format(at);
</script>

<svelte:head><title>{wall ? `Wall, ${wall.title}` : 'Wall'} · Niche</title></svelte:head>

{#if fault}<div class="p-4"><Notice tone="wrong">{fault}</Notice></div>{/if}
{#if wall}
  <div
    class="flex flex-none flex-wrap items-center gap-x-4 gap-y-2 border-b border-edge bg-base-100 px-4 py-1.5"
  >
    <Ribbon days={wall.days} date={wall.date} {today} onpick={show} />
    <div class="ml-auto flex items-center gap-3">
      <label class="flex items-center gap-2 text-sm text-mute">
        Show starts for
        <select
          class="select select-sm w-44 font-semibold text-ink"
          value={wall.service}
          onchange={(e) => searchParams.set('service', e.currentTarget.value)}
        >
          {#each wall.services as s (s.id)}<option value={s.id}>{s.name}</option>{:else}<option value={0}
              >no service yet</option
            >{/each}
        </select>
      </label>
      <div class="join">
        <button class="btn join-item btn-sm" aria-label="Day before" onclick={() => move(-1)}
          ><ChevronLeft size={16} /></button
        >
        <button class="btn join-item btn-sm" onclick={() => show('')}>Today</button>
        <button class="btn join-item btn-sm" aria-label="Day after" onclick={() => move(1)}
          ><ChevronRight size={16} /></button
        >
      </div>
    </div>
  </div>

  <div class="flex grow">
    <div class="min-w-0 grow px-4 pt-3">
      <h1 class="sr-only">{wall.title}</h1>
      {#if wall.lanes.length === 0}
        <div class="mx-auto grid max-w-lg gap-3 py-20">
          <h2 class="text-2xl">The wall is empty</h2>
          <p>Add the first staff member, draw the hours, and link a calendar. The day then stands here.</p>
          <a class="btn btn-primary justify-self-start" href="/team">Go to the team</a>
        </div>
      {:else}
        <div class="board">
          <div class="pt-0.5 text-sm font-semibold whitespace-nowrap">
            {wall.title.replace(/ \d{4}$/, '')}
          </div>
          <div class="relative">
            <Hours axis={ends} {marks} />
            {#if now > ends.from && now < ends.to}
              <span class="now-label" style="left:{left(ends, now)}%">{clock(now)}</span>
            {/if}
          </div>
          {#each wall.lanes as lane (lane.staff.id)}
            <div class="who">
              <a href="/team/{lane.staff.id}" class="font-bold hover:underline">{lane.staff.name}</a>
              <p class="text-[0.8125rem] text-mute">{lane.note}</p>
              {#if lane.clashes}
                <p class="text-[0.8125rem] font-semibold text-brick">
                  {lane.clashes === 1 ? 'a clash' : `${lane.clashes} clashes`}
                </p>
              {/if}
              {#if lane.away}<p class="text-[0.8125rem] text-mute">{lane.away}</p>{/if}
              {#if lane.nowhere}
                <a
                  href="/team/{lane.staff.id}/calendars"
                  class="text-[0.8125rem] font-semibold text-brick underline"
                >
                  written nowhere
                </a>
              {/if}
            </div>
            <section class="row" aria-label="{lane.staff.name}, {lane.note}">
              <Lane
                axis={ends}
                layers={layersOf(wall, lane)}
                {picked}
                asked={why?.staff === lane.staff.id ? why.instant : undefined}
                onpick={(s) => pick(s.key)}
                onask={wall.service ? (at) => ask(lane.staff.id, iso(at)) : undefined}
              />
            </section>
          {/each}
        </div>
      {/if}
    </div>
    {#if why && wall.service}
      <WhyPanel
        service={wall.service}
        staff={why.staff}
        at={why.at}
        zone={wall.zone}
        onmove={ask}
        onclose={() => searchParams.delete('why')}
      />
    {:else if found}
      <BookingPanel
        visit={found.visit}
        staff={found.staff}
        title={wall.title}
        onclose={() => (picked = '')}
      />
    {/if}
  </div>
  <Pulse pulse={wall.pulse} />
{/if}

<style>
  .board {
    display: grid;
    grid-template-columns: 176px minmax(0, 1fr);
    column-gap: 8px;
    padding-bottom: 16px;
  }
  .who {
    padding: 8px 4px 0 0;
    line-height: 1.3;
  }
  .row {
    height: 86px;
    padding-bottom: 8px;
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
