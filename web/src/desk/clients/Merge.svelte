<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import { clock } from '../clock.svelte';

  /** Who counts as the same client, and finding another who does. */
  let {
    client,
    act,
  }: {
    client: Shape<'ShownClient'>;
    act: (what: () => Promise<Shape<'ShownClient'>>) => Promise<void>;
  } = $props();
  let text = $state('');
  const found = new Query<{ items: Shape<'ListedClient'>[] }>();
  $effect(() => {
    if (text.trim().length > 1)
      void found.ask(() => data(api.GET('/api/clients', { params: { query: { text, clock: clock.kind } } })));
  });
  const others = $derived(
    text.trim().length > 1 ? (found.value?.items ?? []).filter((c) => c.id !== client.id).slice(0, 5) : [],
  );
  const change = (way: 'merge' | 'part', other: number) => {
    text = '';
    const params = { path: { id: client.id }, query: { clock: clock.kind } };
    return act(() =>
      way === 'merge'
        ? data(api.POST('/api/clients/{id}/merge', { params, body: { other } }))
        : data(api.POST('/api/clients/{id}/part', { params, body: { other } })),
    );
  };
</script>

<section class="sheet grid gap-2 p-5">
  <h2 class="text-base font-bold">The same person</h2>
  {#each client.merged as m (m.id)}
    <div class="flex items-baseline gap-3">
      <span class="min-w-0"
        >{m.name}<span class="block text-sm break-all text-mute">{m.mails.join(', ')}</span></span
      >
      <button type="button" class="link-plain ml-auto text-sm" onclick={() => void change('part', m.id)}
        >is another</button
      >
    </div>
  {:else}
    <p class="text-sm text-mute">Books by another address too? Say who it is: it can be undone.</p>
  {/each}
  <input
    class="input input-sm w-full"
    type="search"
    aria-label="Another client who is the same person"
    placeholder="name or mail address"
    bind:value={text}
  />
  {#each others as o (o.id)}
    <div class="flex items-baseline gap-3">
      <span class="min-w-0"
        >{o.name}<span class="block text-sm break-all text-mute">{o.mails.join(', ')}</span></span
      >
      <button type="button" class="btn btn-xs ml-auto" onclick={() => void change('merge', o.id)}
        >Is the same</button
      >
    </div>
  {/each}
</section>
