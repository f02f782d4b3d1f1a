<script lang="ts">
  import { untrack } from 'svelte';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';

  /** Bookings as they were made: by whom, from where; several can be cancelled together. */
  type Made = Shape<'MadeBooking'>;
  let text = $state('');
  let network = $state('');
  let ahead = $state(true);
  let status = $state<'' | 'pending' | 'confirmed' | 'cancelled'>('confirmed');
  let more = $state<Made[]>([]);
  let next = $state(0);
  let chosen = $state<number[]>([]);
  let asking = $state(false);
  let said = $state('');
  let problem = $state<Problem>();

  const filter = $derived({
    text: text.trim() || undefined,
    network: network || undefined,
    status: status || undefined,
    ahead: ahead || undefined,
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

  async function older() {
    try {
      const got = await data(api.GET('/api/bookings', { params: { query: { ...filter, before: next } } }));
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
  <div>
    <h1 class="text-2xl">Bookings</h1>
    <p class="text-mute">As they were made, the last first. Mark several to cancel them together.</p>
  </div>
  <div class="flex flex-wrap items-center gap-3">
    <input
      class="input w-64 input-sm"
      type="search"
      placeholder="Name, mail or reference"
      aria-label="Find by name, mail or reference"
      bind:value={text}
    />
    <label class="flex items-center gap-2 text-sm text-mute">
      Which are
      <select class="select w-36 select-sm font-semibold text-ink" bind:value={status}>
        <option value="">any</option>
        <option value="confirmed">confirmed</option>
        <option value="pending">pending</option>
        <option value="cancelled">cancelled</option>
      </select>
    </label>
    <label class="flex items-center gap-2 text-sm">
      <input class="checkbox checkbox-sm checkbox-primary" type="checkbox" bind:checked={ahead} />
      Ahead only
    </label>
    {#if network}
      <button type="button" class="btn btn-sm" onclick={() => (network = '')}>From {network} ×</button>
    {/if}
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
            <th>Made</th>
            <th>From</th>
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
                <b class="break-words">{b.client}</b>
                <span class="block text-sm break-all text-mute">{b.email}</span>
              </td>
              <td>
                <a class="link-plain whitespace-nowrap" href="/?date={b.date}&visit={b.visit}">{b.when}</a>
                <span class="block text-sm text-mute"
                  >{b.service}, {b.staff}{#if b.status !== 'confirmed'}; <b class="text-brick">{b.status}</b
                    >{/if}</span
                >
              </td>
              <td class="whitespace-nowrap"
                >{b.made}<span class="block text-sm text-mute">{b.reference}</span></td
              >
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
            </tr>
          {:else}
            <tr><td></td><td colspan="4" class="text-mute">No booking is like that.</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if next}<button type="button" class="btn justify-self-start" onclick={() => void older()}
        >Older ones</button
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
