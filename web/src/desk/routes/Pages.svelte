<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';
  import Stairs from '../pages/Stairs.svelte';

  /** All pages that clients open, with how far people come on them. */
  const answer = query(
    () => data(api.GET('/api/all-pages', { params: { query: { clock: clock.kind } } })),
    ['rules', 'bookings'],
  );
  const pages = $derived(answer.value?.items ?? []);
  const most = $derived(Math.max(1, ...pages.map((p) => p.opened)));
  const edit = (p: Shape<'ListedPage'>) => (p.kind === 'service' ? `/services/${p.id}` : `/pages/${p.id}`);
</script>

<svelte:head><title>Pages · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl content-start gap-5 px-6 py-6">
  <div class="flex items-end justify-between gap-4">
    <div>
      <h1 class="text-2xl">Pages</h1>
      <p class="text-mute">
        What clients open, and how far they came in the last 30 days. It is counted without knowing who it
        was.
      </p>
    </div>
    <a class="btn btn-primary" href="/pages/new">Put services together</a>
  </div>
  {#if answer.problem}<Notice tone="wrong">{answer.problem.message}</Notice>{/if}
  {#if answer.value && pages.length === 0}
    <p class="py-8 text-mute">
      No page yet: each service has one. <a class="link-plain" href="/services/new">Define a service.</a>
    </p>
  {:else}
    <ul class="sheet divide-y divide-base-300">
      {#each pages as p (p.kind + String(p.id))}
        <li class="one" class:text-mute={p.state !== 'open'}>
          <div class="min-w-0">
            <a class="text-base font-bold text-ink hover:underline" href={edit(p)}>{p.title}</a>
            <p class="truncate text-sm">
              <a class="link-plain" href={p.page} target="_blank" rel="noopener">{p.page}</a>
            </p>
            <p class="text-sm text-mute">
              {p.kind === 'collection' ? 'several services' : p.in.length ? `in ${p.in.join(', ')}` : ''}
              {#if p.state !== 'open'}<b class="text-brick">{p.state}</b>{/if}
            </p>
          </div>
          <Stairs {p} {most} />
          <p class="text-right text-sm text-mute">
            {p.lastBooked ? 'booked last' : 'never booked'}<span class="block">{p.lastBooked}</span>
          </p>
        </li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .one {
    display: grid;
    grid-template-columns: minmax(0, 1.1fr) minmax(0, 1.6fr) 8rem;
    align-items: center;
    gap: 22px;
    padding: 12px 18px;
  }
</style>
