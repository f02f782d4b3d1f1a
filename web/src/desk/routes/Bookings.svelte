<script lang="ts">
  import { untrack } from 'svelte';
  import { searchParams } from 'sv-router';
  import { api, data, everything, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { columns, keepColumns, shownColumns, type Column } from '../bookings/columns';
  import CopySign from '../bookings/CopySign.svelte';
  import { clock } from '../clock.svelte';

  /** Where is that one? Bookings by words, service, person, state and time; several can be cancelled together. */
  type Found = Shape<'FoundBooking'>;
  const param = (name: string) => String(searchParams.get(name) ?? '');
  const periods = ['ahead', 'past', 'any', 'dates'] as const;
  const states = ['confirmed', 'pending', 'cancelled', 'missed'] as const;
  const copies = ['waiting', 'written', 'read back', 'doubted', 'adrift', 'failed'] as const;

  let text = $state(param('text'));
  let network = $state('');
  let service = $state(0);
  let staff = $state(0);
  let status = $state<'' | (typeof states)[number]>('');
  let copy = $state<'' | (typeof copies)[number]>('');
  let period = $state<(typeof periods)[number]>(periods.find((p) => p === param('period')) ?? 'ahead');
  let [from, to] = $state(['', ''] as [string, string]);
  let order = $state<'start' | 'made'>('start');
  let shown = $state<Column[]>(shownColumns());
  let more = $state<Found[]>([]);
  let next = $state('');
  let chosen = $state<number[]>([]);
  let asking = $state(false);
  let said = $state('');
  let problem = $state<Problem>();

  const services = query(() => everything((q) => api.GET('/api/services', { params: { query: q } })));
  const team = query(() => everything((q) => api.GET('/api/staff', { params: { query: q } })));
  const isDate = (d: string) => /^\d{4}-\d\d-\d\d$/.test(d);
  const filter = $derived({
    // One letter finds too many to be of use.
    text: text.trim().length > 1 ? text.trim() : undefined,
    network: network || undefined,
    service: service || undefined,
    staff: staff || undefined,
    status: status || undefined,
    copy: copy || undefined,
    period: period === 'dates' ? ('any' as const) : period,
    from: period === 'dates' && isDate(from) ? from : undefined,
    to: period === 'dates' && isDate(to) ? to : undefined,
    order,
    clock: clock.kind,
  });
  let asked = '';
  const first = query(async () => {
    const key = JSON.stringify(filter);
    const got = await data(api.GET('/api/bookings', { params: { query: filter } }));
    // What was opened further down stays, while the same is asked for.
    if (key !== asked || untrack(() => more.length) === 0) [more, next] = [[], got.next];
    asked = key;
    return got;
  }, ['bookings']);
  const list = $derived.by(() => {
    const top = first.value?.items ?? [];
    return [...top, ...more.filter((m) => !top.some((t) => t.id === m.id))];
  });
  /** Only what is shown and can still be cancelled is cancelled. */
  const free = $derived(list.filter((b) => b.status !== 'cancelled'));
  const marked = $derived(free.filter((b) => chosen.includes(b.id)));
  const orders: Record<string, string> = {
    start: 'The earliest visit stands first.',
    startback: 'The latest visit stands first.',
    made: 'The last made stands first.',
  };
  const file = (format: string) =>
    `/api/bookings/export?${new URLSearchParams(
      Object.entries({ ...filter, format }).flatMap(([k, v]) => (v === undefined ? [] : [[k, String(v)]])),
    )}`;

  function show(column: Column, on: boolean) {
    shown = columns.map(([c]) => c).filter((c) => (c === column ? on : shown.includes(c)));
    keepColumns(shown);
  }

  async function further() {
    try {
      const got = await data(api.GET('/api/bookings', { params: { query: { ...filter, after: next } } }));
      [more, next] = [[...more, ...got.items], got.next];
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  async function cancel() {
    const ids = marked.map((b) => b.id);
    [problem, asking] = [undefined, false];
    try {
      await api.POST('/api/bookings/cancel', { body: { ids } });
      said = ids.length === 1 ? 'One booking is cancelled.' : `${ids.length} bookings are cancelled.`;
      chosen = [];
    } catch (cause) {
      problem = problemOf(cause);
    }
  }
  const all = (on: boolean) => (chosen = on ? free.slice(0, 200).map((b) => b.id) : []);
</script>

<svelte:head><title>Bookings · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl content-start gap-4 px-6 py-6">
  <div class="flex flex-wrap items-start gap-3">
    <div class="grow">
      <h1 class="text-2xl">Bookings</h1>
      <p class="text-mute">{orders[first.value?.order ?? 'start']} Mark several to cancel them together.</p>
    </div>
  </div>
  <div class="flex flex-wrap items-center gap-2">
    <input
      class="input input-sm w-64"
      type="search"
      placeholder="Name, mail, reference or note"
      aria-label="Find by name, mail, reference or note"
      bind:value={text}
    />
    <select class="select select-sm w-36" aria-label="When" bind:value={period}>
      <option value="ahead">ahead</option>
      <option value="past">over</option>
      <option value="any">at any time</option>
      <option value="dates">on dates…</option>
    </select>
    {#if period === 'dates'}
      <DateInput bind:value={from} small aria-label="From" />
      <span class="text-sm text-mute">to</span>
      <DateInput bind:value={to} small aria-label="To" />
    {/if}
    <select class="select select-sm w-40" aria-label="Service" bind:value={service}>
      <option value={0}>any service</option>
      {#each services.value ?? [] as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
    </select>
    <select class="select select-sm w-40" aria-label="Person" bind:value={staff}>
      <option value={0}>anybody</option>
      {#each team.value ?? [] as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
    </select>
    <select class="select select-sm w-36" aria-label="State" bind:value={status}>
      <option value="">any state</option>
      {#each states as st (st)}<option value={st}>{st}</option>{/each}
    </select>
    <select class="select select-sm w-36" aria-label="Copy" bind:value={copy}>
      <option value="">any copy</option>
      {#each copies as c (c)}<option value={c}>copy {c}</option>{/each}
    </select>
    <select class="select select-sm w-40" aria-label="Order" bind:value={order} disabled={!!text.trim()}>
      <option value="start">by their visits</option>
      <option value="made">as they were made</option>
    </select>
    {#if network}
      <button type="button" class="btn btn-sm" onclick={() => (network = '')}>From {network} ×</button>
    {/if}
    <details class="dropdown">
      <summary class="btn btn-sm">Columns</summary>
      <ul class="dropdown-content z-10 grid w-56 gap-1 border border-edge bg-base-100 p-3 shadow-lg">
        {#each columns as [key, label] (key)}
          <li>
            <label class="flex items-center gap-2 text-sm"
              ><input
                class="checkbox checkbox-sm checkbox-primary"
                type="checkbox"
                checked={shown.includes(key)}
                onchange={(e) => show(key, e.currentTarget.checked)}
              />{label}</label
            >
          </li>
        {/each}
      </ul>
    </details>
    <details class="dropdown">
      <summary class="btn btn-sm">As a file</summary>
      <ul class="dropdown-content z-10 grid w-56 gap-2 border border-edge bg-base-100 p-3 text-sm shadow-lg">
        <li class="text-mute">What is found, up to 50,000:</li>
        <li><a class="link-plain" href={file('csv')} download>table (CSV)</a></li>
        <li><a class="link-plain" href={file('ics')} download>calendar (iCalendar)</a></li>
        <li><a class="link-plain" href={file('json')} download>JSON</a></li>
      </ul>
    </details>
  </div>
  {#if said}<p role="status">{said}</p>{/if}
  {#if first.problem ?? problem}<Notice tone="wrong">{(first.problem ?? problem)?.message}</Notice>{/if}
  {#if first.value}
    <div class="sheet overflow-x-auto">
      <table class="made">
        <thead>
          <tr>
            <th
              ><input
                class="checkbox checkbox-sm checkbox-primary"
                type="checkbox"
                aria-label="Mark all that are shown"
                disabled={free.length === 0}
                checked={free.length > 0 && marked.length === Math.min(free.length, 200)}
                onchange={(e) => all(e.currentTarget.checked)}
              /></th
            >
            <th>Client</th>
            <th>Visit</th>
            {#if shown.includes('copy')}<th>Copy</th>{/if}
            {#if shown.includes('reference')}<th>Reference</th>{/if}
            {#if shown.includes('made')}<th>Made</th>{/if}
            {#if shown.includes('from')}<th>From</th>{/if}
            {#if shown.includes('phone')}<th>Telephone</th>{/if}
            {#if shown.includes('note')}<th>Note</th>{/if}
          </tr>
        </thead>
        <tbody>
          {#each list as b (b.id)}
            <tr class={b.status === 'cancelled' ? 'text-mute' : ''}>
              <td>
                {#if b.status !== 'cancelled'}
                  <input
                    class="checkbox checkbox-sm checkbox-primary"
                    type="checkbox"
                    aria-label="Mark {b.client}, {b.when}"
                    value={b.id}
                    bind:group={chosen}
                  />
                {/if}
              </td>
              <td>
                <a class="link-plain break-words" href="/bookings/{b.id}">{b.client}</a>
                <span class="block text-sm break-all text-mute">{b.email}</span>
              </td>
              <td>
                <span class="whitespace-nowrap">{b.when}</span>
                {#if b.status !== 'confirmed' || b.missed}<b class="text-brick"
                    >{b.missed ? 'missed' : b.status}</b
                  >{/if}
                {#if shown.includes('service')}
                  <span class="block text-sm text-mute"
                    >{b.service}, {b.staff}{b.places > 1 ? `, ${b.places} places` : ''}</span
                  >
                {/if}
              </td>
              {#if shown.includes('copy')}
                <td class="text-sm whitespace-nowrap"
                  >{#if b.copy}<CopySign state={b.copy} />{:else}<span class="text-mute">none</span>{/if}</td
                >
              {/if}
              {#if shown.includes('reference')}<td class="whitespace-nowrap">{b.reference}</td>{/if}
              {#if shown.includes('made')}
                <td class="whitespace-nowrap"
                  >{b.made}<span class="block text-sm text-mute">{b.madeBy || 'on the page'}</span></td
                >
              {/if}
              {#if shown.includes('from')}
                <td>
                  {#if b.network}
                    <button
                      type="button"
                      class="link-plain text-sm break-all"
                      title="Only those from here"
                      onclick={() => (network = b.network)}>{b.network}</button
                    >
                  {:else}<span class="text-sm text-mute">not kept</span>{/if}
                </td>
              {/if}
              {#if shown.includes('phone')}<td class="text-sm whitespace-nowrap">{b.phone}</td>{/if}
              {#if shown.includes('note')}<td class="max-w-64 text-sm"
                  ><span class="line-clamp-2">{b.note}</span></td
                >{/if}
            </tr>
          {:else}
            <tr
              ><td></td><td colspan="7" class="text-mute"
                >No booking is like that.{#if period === 'ahead'}
                  <button type="button" class="link-plain" onclick={() => (period = 'any')}
                    >Look at any time</button
                  >{/if}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
    </div>
    {#if next}<button type="button" class="btn justify-self-start" onclick={() => void further()}
        >Further ones</button
      >{/if}
  {/if}
  {#if marked.length}
    <div
      class="sheet sticky bottom-3 flex flex-wrap items-center gap-3 px-4 py-3 shadow-lg"
      role="region"
      aria-label="Marked"
    >
      {#if asking}
        <p class="grow">
          {marked.length === 1 ? 'It is' : 'They are'} cancelled at once; copies in staff calendars are removed.
          This cannot be undone.
        </p>
        <button type="button" class="btn btn-primary" onclick={() => void cancel()}
          >Cancel {marked.length === 1 ? 'it' : `all ${marked.length}`}</button
        >
        <button type="button" class="btn" onclick={() => (asking = false)}>Keep</button>
      {:else}
        <p class="grow">
          <b>{marked.length}</b>
          {marked.length === 1 ? 'booking is' : 'bookings are'} marked.
        </p>
        <button type="button" class="btn" onclick={() => (chosen = [])}>Unmark</button>
        <button type="button" class="btn btn-primary" onclick={() => (asking = true)}
          >Cancel {marked.length === 1 ? 'it' : 'them'} …</button
        >
      {/if}
    </div>
  {/if}
</div>

<style>
  .made {
    width: 100%;
    border-collapse: collapse;
  }
  .made th {
    text-align: left;
    font-size: 0.875rem;
    color: var(--color-mute);
  }
  .made th,
  .made td {
    padding: 0.5rem 0.75rem;
    vertical-align: top;
  }
  .made th:first-child,
  .made td:first-child {
    width: 2.75rem;
    padding-left: 1rem;
  }
  .made tbody tr {
    border-top: 1px solid var(--color-base-300);
  }
</style>
