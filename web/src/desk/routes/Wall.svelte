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
  import { addDays } from '$lib/hours/dates';
  import { clock, turnClock } from '../clock.svelte';
  import Keys from '../wall/Keys.svelte';
  import Month from '../wall/Month.svelte';
  import Week from '../wall/Week.svelte';
  import WhyPanel from '../wall/WhyPanel.svelte';
  import { layersOf, solidOf } from '../wall/layers';
  import Pulse from '../wall/Pulse.svelte';
  import Ribbon from '../wall/Ribbon.svelte';

  let wall = $state<Shape<'Wall'>>();
  let fault = $state('');
  let picked = $state('');
  let asked = 0;

  const date = $derived(String(searchParams.get('date') ?? ''));
  const service = $derived(Number(searchParams.get('service') ?? 0));

  const views = ['day', 'week', 'month'] as const;
  type View = (typeof views)[number];
  const view = $derived<View>(views.find((v) => v === searchParams.get('view')) ?? 'day');
  const person = $derived(Number(searchParams.get('person') ?? 0));
  let spanTitle = $state('');
  let keys: ReturnType<typeof Keys>;
  let jump = $state<HTMLInputElement>();

  async function load(date: string, service: number, kind = clock.kind) {
    const turn = ++asked;
    try {
      const got = await data(api.GET('/api/wall', { params: { query: { date, service, clock: kind } } }));
      if (turn === asked) [wall, fault] = [got, ''];
    } catch (cause) {
      if (turn === asked) fault = problemOf(cause).message;
    }
  }
  $effect(() => void load(date, service, clock.kind));
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
  function move(by: -1 | 1) {
    if (!wall) return;
    // The address is ahead of what has been loaded, when keys are pressed quickly.
    const from = date || today;
    if (view !== 'month') return show(addDays(from, view === 'week' ? 7 * by : by));
    const [year, month] = from.split('-').map(Number);
    show(new Date(Date.UTC(year ?? 0, (month ?? 1) - 1 + by, 1)).toISOString().slice(0, 10));
  }
  function look(at: View, who = 0) {
    picked = '';
    searchParams.delete('why');
    if (at === 'day') searchParams.delete('view');
    else searchParams.set('view', at);
    if (who) searchParams.set('person', who);
    else searchParams.delete('person');
  }
  function press(e: KeyboardEvent) {
    const target = e.target as HTMLElement;
    if (e.ctrlKey || e.metaKey || e.altKey || target.closest('input, select, textarea, dialog')) return;
    const arrows = !target.closest('.lane, [role="slider"]');
    const does: Record<string, () => void> = {
      d: () => look('day'),
      w: () => look('week'),
      m: () => look('month'),
      t: () => show(''),
      j: () => jump?.focus(),
      '?': () => keys.show(),
      Escape: () => {
        picked = '';
        searchParams.delete('why');
      },
      ...(arrows ? { ArrowLeft: () => move(-1), ArrowRight: () => move(1) } : {}),
    };
    const act = does[e.key.length === 1 ? e.key.toLowerCase() : e.key];
    if (act) {
      e.preventDefault();
      act();
    }
  }
  const timeOf = (at: number) =>
    new Intl.DateTimeFormat('en-GB', {
      timeZone: wall?.zone,
      hour: clock.kind === '12' ? 'numeric' : '2-digit',
      minute: '2-digit',
      hour12: clock.kind === '12',
    }).format(at);
  const names = { day: 'Day', week: 'Week', month: 'Month' };
</script>

<svelte:window onkeydown={press} />
<svelte:head><title>{wall ? `Wall, ${wall.title}` : 'Wall'} · Niche</title></svelte:head>

{#if fault}<div class="p-4"><Notice tone="wrong">{fault}</Notice></div>{/if}
{#if wall}
  <div
    class="tools flex flex-none flex-wrap items-center gap-x-4 gap-y-2 border-b border-edge bg-base-100 px-4 py-1.5"
  >
    {#if view === 'month'}<b class="text-base">{spanTitle}</b>
    {:else}<Ribbon days={wall.days} date={wall.date} {today} onpick={show} />{/if}
    <div class="ml-auto flex flex-wrap items-center gap-3">
      <div class="join" role="group" aria-label="View">
        {#each views as v (v)}
          <button
            class="btn join-item btn-sm"
            class:btn-secondary={v === view}
            aria-pressed={v === view}
            onclick={() => look(v)}>{names[v]}</button
          >
        {/each}
      </div>
      {#if view === 'week'}
        <select
          class="select w-36 select-sm"
          aria-label="Whose week"
          value={person}
          onchange={(e) => look('week', Number(e.currentTarget.value))}
        >
          <option value={0}>The team</option>
          {#each wall.lanes as l (l.staff.id)}<option value={l.staff.id}>{l.staff.name}</option>{/each}
        </select>
      {/if}
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
        <button class="btn join-item btn-sm" aria-label="{names[view]} before" onclick={() => move(-1)}
          ><ChevronLeft size={16} /></button
        >
        <button class="btn join-item btn-sm" onclick={() => show('')}>Today</button>
        <button class="btn join-item btn-sm" aria-label="{names[view]} after" onclick={() => move(1)}
          ><ChevronRight size={16} /></button
        >
      </div>
      <input
        class="input w-36 input-sm"
        type="date"
        aria-label="Jump to a date"
        bind:this={jump}
        value={wall.date}
        onchange={(e) => e.currentTarget.value && show(e.currentTarget.value)}
      />
      <button
        class="btn btn-ghost btn-sm"
        aria-label="Clock of {clock.kind === '24' ? '24' : '12'} hours; change it"
        onclick={turnClock}>{clock.kind} h</button
      >
      <button class="btn btn-ghost btn-square btn-sm" aria-label="Keys" onclick={() => keys.show()}>?</button>
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
        {#if view === 'week'}
          <h2 class="pb-1 text-sm font-semibold">{spanTitle}</h2>
          <Week
            {date}
            staff={person}
            service={wall.service}
            onday={(d) => {
              look('day');
              show(d);
            }}
            onperson={(id) => look('week', id)}
            ontitle={(t) => (spanTitle = t)}
          />
        {:else if view === 'month'}
          <Month
            {date}
            onday={(d) => {
              look('day');
              show(d);
            }}
            ontitle={(t) => (spanTitle = t)}
          />
        {:else}
          <div class="board" style="--lanes:{wall.lanes.length + wall.rooms.length}">
            <div class="pt-0.5 text-sm font-semibold whitespace-nowrap">
              {wall.title.replace(/ \d{4}$/, '')}
            </div>
            <div class="relative">
              <Hours axis={ends} {marks} />
              {#if now > ends.from && now < ends.to}
                <span class="now-label" style="left:{left(ends, now)}%">{timeOf(now)}</span>
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
            {#each wall.rooms as room (room.id)}
              <div class="who">
                <a href="/house" class="font-bold hover:underline">{room.name}</a>
                <p class="text-[0.8125rem] text-mute">{room.kind}</p>
              </div>
              <section class="row room" aria-label="{room.name}, {room.kind}">
                <Lane
                  axis={ends}
                  layers={{
                    open: [{ start: ends.from - 1, end: ends.to + 1 }],
                    solids: room.visits.map(solidOf),
                    now,
                  }}
                  {picked}
                  onpick={(s) => pick(s.key)}
                />
              </section>
            {/each}
          </div>
        {/if}
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
<Keys bind:this={keys} />

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
  .row.room {
    height: 62px;
  }
  @media print {
    .board {
      print-color-adjust: exact;
    }
    .row,
    .row.room {
      height: min(86px, calc(165mm / var(--lanes)));
      padding-bottom: 3px;
    }
    .who {
      padding-top: 2px;
    }
    .tools {
      display: none;
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
