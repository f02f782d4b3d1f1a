<script lang="ts">
  import { api, everything, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { writeLength } from '$lib/ui/typed';
  import ListTools from '$lib/ui/ListTools.svelte';

  let search = $state('');
  let order = $state('name');
  let archived = $state(false);

  const list = query(() => everything((query) => api.GET('/api/services', { params: { query } }), archived));
  const services = $derived(list.value);
  const rooms = query(() => everything((query) => api.GET('/api/resources', { params: { query } })));
  /** The kinds of rooms and equipment that there are. */
  const kinds = $derived(rooms.value?.map((r) => r.kind) ?? []);
  /** What keeps a service from being booked. */
  function missing(s: Shape<'Service'>): string {
    if (s.staff.length === 0) return 'nobody performs it';
    const none = rooms.value && s.needs.find((kind) => !kinds.includes(kind));
    if (none) return `there is no ${none}`;
    return s.paused ? 'paused' : '';
  }
  const shown = $derived(
    (services ?? [])
      .filter((s) => [s.name, s.place, s.slug].join(' ').toLowerCase().includes(search.trim().toLowerCase()))
      .toSorted((a, b) =>
        order === 'missing'
          ? missing(b).length - missing(a).length || a.name.localeCompare(b.name)
          : order === 'length'
            ? a.length - b.length || a.name.localeCompare(b.name)
            : a.name.localeCompare(b.name),
      ),
  );
</script>

<svelte:head><title>Services · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl gap-5 px-6 py-6">
  <div class="flex items-end justify-between gap-4">
    <div>
      <h1 class="text-2xl">Services</h1>
      <p class="text-mute">What can be booked, and by which rules.</p>
    </div>
    <a class="btn btn-primary" href="/services/new">Define a service</a>
  </div>
  {#if services?.length === 0 && !archived}
    <div class="grid gap-3 py-10">
      <h2 class="text-xl">No service yet</h2>
      <p class="max-w-lg">
        A service says how long a visit lasts, when it can start, and who performs it. Its page can be sent to
        clients at once.
      </p>
    </div>
  {:else if services}
    <ListTools
      bind:search
      bind:order
      bind:archived
      what="services"
      orders={[
        ['name', 'name'],
        ['missing', 'what is missing'],
        ['length', 'length'],
      ]}
    />
    {#if shown.length === 0}
      <p class="py-6 text-mute">
        {search ? `No service here is called “${search}”.` : 'No service is archived.'}
      </p>
    {/if}
    <ul class="sheet divide-y divide-base-300">
      {#each shown as s (s.id)}
        <li class="service">
          <span class="block" style="background:var(--color-hue-{s.hue})" aria-hidden="true"></span>
          <div>
            <a class="text-base font-bold hover:underline" href="/services/{s.id}">{s.name}</a>
            <p class="text-sm text-mute">{s.place || 'no place given'}</p>
          </div>
          <div class="text-sm">
            <p>{writeLength(s.length)}, a start every {writeLength(s.step)}</p>
            <p class="text-mute">
              {s.bufferBefore || s.bufferAfter
                ? `${s.bufferBefore} min before, ${s.bufferAfter} min after`
                : 'no buffers'}
            </p>
          </div>
          <p class="text-sm" class:text-brick={missing(s)} class:font-semibold={missing(s)}>
            {missing(s) ? missing(s) : s.staff.length === 1 ? '1 person' : `${s.staff.length} people`}
          </p>
          <a class="link-plain text-sm" href={s.page} target="_blank" rel="noopener">Open its page</a>
        </li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .service {
    display: grid;
    grid-template-columns: 22px minmax(0, 1.3fr) minmax(0, 1.3fr) minmax(0, 0.8fr) auto;
    align-items: center;
    gap: 18px;
    padding: 13px 18px;
  }
  .block {
    width: 16px;
    height: 20px;
    border-radius: 4px 4px 0 0;
  }
</style>
