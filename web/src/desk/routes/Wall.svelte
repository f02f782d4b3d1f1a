<script lang="ts">
  import { searchParams } from 'sv-router';
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { addDays, dateIn, longDate } from '$lib/hours/dates';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';
  import { clientHearsSentence } from '../hears';
  import { ask, asked, close, drawn, gapKey, open, opened } from '../aside';
  import BookingPanel from '../wall/BookingPanel.svelte';
  import Day from '../wall/Day.svelte';
  import type { Place } from '../wall/drag.svelte';
  import GapPanel from '../wall/GapPanel.svelte';
  import Keys from '../wall/Keys.svelte';
  import Month from '../wall/Month.svelte';
  import Pulse from '../wall/Pulse.svelte';
  import Tools from '../wall/Tools.svelte';
  import { views, type View } from '../wall/views';
  import Week from '../wall/Week.svelte';
  import WhyPanel from '../wall/WhyPanel.svelte';

  const date = $derived(String(searchParams.get('date') ?? ''));
  const service = $derived(Number(searchParams.get('service') ?? 0));
  const view = $derived<View>(views.find((v) => v === searchParams.get('view')) ?? 'day');
  const person = $derived(Number(searchParams.get('person') ?? 0));
  const page = $derived(Number(searchParams.get('page') ?? 1));
  const why = $derived(asked());
  const picked = $derived(opened());
  const gap = $derived(drawn());
  let spanTitle = $state('');
  /** The lanes that the week shows. */
  let weekLanes = $state<Shape<'WallLane'>[]>([]);
  let keys: ReturnType<typeof Keys>;
  let tools = $state<ReturnType<typeof Tools>>();

  const answer = query(() =>
    data(
      api.GET('/api/wall', {
        params: { query: { date, service, page, clock: clock.kind, zones: clock.zones } },
      }),
    ),
  );
  /** Of a team on several pages, how full the days are is asked by itself: the lanes do not wait for it. */
  const several = $derived(!!answer.value && (answer.value.next > 0 || page > 1));
  const ribbon = query(async () =>
    several
      ? (await data(api.GET('/api/wall/days', { params: { query: { date, zones: clock.zones } } }))).items
      : undefined,
  );
  const wall = $derived.by(() => {
    const told = answer.value;
    const days = ribbon.value;
    return told && days && several && days[0]?.date === told.days[0]?.date ? { ...told, days } : told;
  });
  const fault = $derived(answer.problem?.message ?? '');

  const dateOf = (at: string | number) => dateIn(wall?.zone ?? 'UTC', at);
  const today = $derived(wall ? dateOf(wall.now) : '');
  const nowWords = $derived(
    wall
      ? new Intl.DateTimeFormat('en-GB', {
          timeZone: wall.zone,
          hour: clock.kind === '12' ? 'numeric' : '2-digit',
          minute: '2-digit',
          hour12: clock.kind === '12',
        }).format(Date.parse(wall.now))
      : '',
  );
  const found = $derived(
    (view === 'week' ? weekLanes : (wall?.lanes ?? []))
      .flatMap((l) => l.visits.map((v) => ({ visit: v, staff: l.staff.name })))
      .find((f) => String(f.visit.id) === picked),
  );
  const title = $derived(view === 'day' ? (wall?.title ?? '') : spanTitle);
  /** The next day of the ribbon on which somebody works. */
  const nextOpen = $derived(wall?.days.find((d) => d.open && d.date > (wall?.date ?? '')));
  const idle = $derived(
    !!wall && view === 'day' && wall.lanes.every((l) => !l.open.length && !l.visits.length),
  );

  function question(staff: number, at: string | number) {
    ask(staff, at);
    const day = dateOf(at);
    if (wall && day !== wall.date) searchParams.set('date', day);
  }
  function fill(staff: number, from: number, to: number) {
    close();
    searchParams.set('gap', gapKey(staff, from, to));
  }
  function show(day: string) {
    close();
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
    close();
    if (at === 'day') searchParams.delete('view');
    else searchParams.set('view', at);
    if (who) searchParams.set('person', who);
    else searchParams.delete('person');
  }
  function openDay(day: string) {
    look('day');
    show(day);
  }
  /** What came of a booking that was let go elsewhere, and how it is undone. */
  let told = $state.raw<{ words: string; undo?: () => Promise<unknown>; anyway?: string }>();
  async function letGo(visit: Shape<'WallVisit'>, from: number, to: Place) {
    const booking = visit.clients[0];
    if (!booking) return;
    const name = wall?.lanes.find((l) => l.staff.id === to.staff)?.staff.name ?? '';
    const path = { params: { path: { id: booking.id } } };
    const elsewhere = `/bookings/${booking.id}?do=move`;
    if (to.why) {
      told = {
        words: `${visit.client} cannot stand at ${to.label} with ${name}: ${to.why}.`,
        anyway: elsewhere,
      };
      return;
    }
    try {
      await api.POST('/api/bookings/{id}/move', {
        ...path,
        body: { start: new Date(to.at).toISOString(), staff: to.staff },
      });
      told = {
        words: `${visit.client} is at ${to.label} with ${name} now. ${clientHearsSentence()}`,
        undo: () =>
          api.POST('/api/bookings/{id}/move', {
            ...path,
            body: { start: visit.start, staff: from, anyway: 'a move is taken back' },
          }),
      };
    } catch (cause) {
      told = { words: problemOf(cause).message, anyway: elsewhere };
    }
  }
  async function undo() {
    const last = told;
    told = undefined;
    try {
      await last?.undo?.();
    } catch (cause) {
      told = { words: problemOf(cause).message };
    }
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
      j: () => tools?.focusDate(),
      '?': () => keys.show(),
      Escape: close,
      ...(arrows ? { ArrowLeft: () => move(-1), ArrowRight: () => move(1) } : {}),
    };
    const act = does[e.key.length === 1 ? e.key.toLowerCase() : e.key];
    if (act) {
      e.preventDefault();
      act();
    }
  }
</script>

<svelte:window onkeydown={press} />
<svelte:head><title>{wall ? `Wall, ${title || wall.title}` : 'Wall'} · Niche</title></svelte:head>

{#if fault}<div class="p-4"><Notice tone="wrong">{fault}</Notice></div>{/if}
{#if wall}
  <Tools
    bind:this={tools}
    {wall}
    {view}
    {person}
    {title}
    {today}
    onlook={look}
    onshow={show}
    onmove={move}
    onservice={(id) => searchParams.set('service', id)}
    onkeys={() => keys.show()}
  />
  <div class="flex grow">
    <div class="min-w-0 grow px-4 pt-2">
      <h1 class="sr-only text-lg print:not-sr-only">{view === 'day' ? wall.title : `${title}, ${view}`}</h1>
      {#if wall.lanes.length === 0}
        <div class="mx-auto grid max-w-lg gap-3 py-20">
          <h2 class="text-2xl">The wall is empty</h2>
          <p>Add the first staff member, draw the hours, and link a calendar. The day then stands here.</p>
          <p class="flex gap-3">
            <a class="btn btn-primary" href="/begin">Begin, step by step</a>
            <a class="btn" href="/team">Go to the team</a>
          </p>
        </div>
      {:else}
        {#if view === 'day' && (idle || wall.closed)}
          <p class="closed" role="status">
            <b>{wall.closed ? `Closed: ${wall.closed}.` : 'Nobody works on this day.'}</b>
            {#if wall.closed && !idle}Who works all the same has a one-off day.{/if}
            {#if nextOpen}
              <button class="link-plain" onclick={() => show(nextOpen.date)}
                >Go to {longDate(nextOpen.date).replace(/ \d{4}$/, '')}</button
              >
            {/if}
            {#if wall.closed}<a class="link-plain" href="/house">Change the closures</a>{/if}
          </p>
        {/if}
        {#if view === 'week'}
          <Week
            {date}
            {page}
            staff={person}
            service={wall.service}
            {picked}
            {why}
            onday={openDay}
            onperson={(id) => look('week', id)}
            onpick={open}
            onask={question}
            ontitle={(t) => (spanTitle = t)}
            onlanes={(lanes) => (weekLanes = lanes)}
          />
        {:else if view === 'month'}
          <Month {date} {page} onday={openDay} ontitle={(t) => (spanTitle = t)} />
        {:else}
          <Day {wall} {picked} {why} {nowWords} onpick={open} onask={question} onmove={letGo} ongap={fill} />
        {/if}
        {#if page > 1 || wall.next}
          <nav class="flex gap-3 pb-4" aria-label="People">
            {#if page > 1}<button class="btn btn-sm" onclick={() => searchParams.set('page', page - 1)}
                >People before</button
              >{/if}
            {#if wall.next}<button class="btn btn-sm" onclick={() => searchParams.set('page', page + 1)}
                >Further people</button
              >{/if}
          </nav>
        {/if}
      {/if}
    </div>
    {#if gap && view === 'day'}
      <GapPanel
        {...gap}
        onask={(service, at) => {
          searchParams.set('service', service);
          question(gap?.staff ?? 0, at);
        }}
        onclose={close}
      />
    {:else if why && wall.service && view !== 'month'}
      <WhyPanel service={wall.service} staff={why.staff} at={why.at} onmove={question} onclose={close} />
    {:else if found}
      <BookingPanel
        visit={found.visit}
        staff={found.staff}
        title={longDate(dateOf(found.visit.start))}
        onclose={close}
      />
    {/if}
  </div>
  {#if told}
    <div class="told" role="status">
      <span class="grow">{told.words}</span>
      {#if told.undo}<button type="button" class="btn btn-sm" onclick={() => void undo()}>Undo</button>{/if}
      {#if told.anyway}<a class="btn btn-sm" href={told.anyway}>Other ways…</a>{/if}
      <button type="button" class="btn btn-ghost btn-sm" onclick={() => (told = undefined)}>Well</button>
    </div>
  {/if}
  <Pulse pulse={wall.pulse} />
{/if}
<Keys bind:this={keys} />

<style>
  .told {
    position: sticky;
    bottom: 44px;
    z-index: 5;
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    max-width: 44rem;
    margin: 0 auto 8px;
    padding: 8px 14px;
    border: 1px solid var(--color-edge);
    border-radius: 10px 10px 3px 3px;
    background: var(--color-base-100);
    box-shadow: 0 6px 20px var(--color-shade);
  }
  .closed {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    margin-bottom: 6px;
    padding: 9px 14px;
    border-radius: 8px 8px 3px 3px;
    background: var(--color-gold-soft);
  }
</style>
