<script lang="ts">
  import { searchParams } from 'sv-router';
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';

  /** The clients, as people. */
  let text = $state(String(searchParams.get('text') ?? ''));
  let page = $state(1);
  let earlier = $state.raw<Shape<'ListedClient'>[]>([]);
  const answer = query(
    () => data(api.GET('/api/clients', { params: { query: { text, page, clock: clock.kind } } })),
    ['bookings'],
  );
  const list = $derived([...earlier, ...(answer.value?.items ?? [])]);
  function more() {
    earlier = list;
    page++;
  }
  function search(words: string) {
    [text, page, earlier] = [words, 1, []];
  }
</script>

<svelte:head><title>Clients · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl content-start gap-4 px-6 py-6">
  <div class="flex flex-wrap items-end gap-4">
    <div class="mr-auto">
      <h1 class="text-2xl">Clients</h1>
      <p class="text-mute">Whoever has booked, by mail address: two that are one person can be merged.</p>
    </div>
    <input
      class="input w-72"
      type="search"
      placeholder="Name, mail, telephone or note"
      aria-label="Search clients"
      value={text}
      oninput={(e) => search(e.currentTarget.value)}
    />
  </div>
  {#if answer.problem}<Notice tone="wrong">{answer.problem.message}</Notice>{/if}
  {#if answer.value && list.length === 0}
    <p class="py-8 text-mute">
      {text ? `Nobody is found by “${text}”.` : 'Nobody has booked yet. Who books stands here at once.'}
    </p>
  {:else}
    <ul class="sheet divide-y divide-base-300">
      {#each list as c (c.id)}
        <li class="client">
          <div class="min-w-0">
            <a class="text-base font-bold hover:underline" href="/clients/{c.id}">{c.name}</a>
            {#if c.note}<p class="truncate text-sm text-mute">{c.note}</p>{/if}
          </div>
          <div class="min-w-0 text-sm">
            <p class="truncate">
              {c.mails[0] ?? 'no mail address'}{c.mails.length > 1 ? ` and ${c.mails.length - 1} more` : ''}
            </p>
            <p class="text-mute">{c.phone || 'no telephone'}</p>
          </div>
          <div class="text-sm">
            <p>
              {c.visits === 1 ? '1 visit' : `${c.visits} visits`}{#if c.missed}, <b class="text-brick"
                  >{c.missed} missed</b
                >{/if}
            </p>
            <p class="text-mute">
              {c.next ? `next ${c.next}` : c.last ? `last ${c.last}` : ''}
            </p>
          </div>
        </li>
      {/each}
    </ul>
    {#if answer.value?.next}
      <button type="button" class="btn justify-self-center" onclick={more}>More</button>
    {/if}
  {/if}
</div>

<style>
  .client {
    display: grid;
    grid-template-columns: minmax(0, 1.2fr) minmax(0, 1.2fr) minmax(0, 0.9fr);
    align-items: center;
    gap: 18px;
    padding: 11px 18px;
  }
</style>
