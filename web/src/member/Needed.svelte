<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';

  /** What one has to look at oneself, each with the page on which it is settled. */
  let { here }: { /** The page that is open. */ here: string } = $props();

  const list = query(
    () => data(api.GET('/api/my/attention')),
    ['bookings', 'calendars', 'rules', 'attention', 'time'],
  );
  const items = $derived(list.value?.items ?? []);
</script>

{#if items.length}
  <section class="sheet overflow-hidden" aria-label="What needs you">
    <h2 class="px-4 pt-3 pb-1 text-sm font-semibold text-mute">What needs you</h2>
    <ul class="divide-y divide-base-300">
      {#each items as i (i.id)}
        <li class="px-4 py-2.5">
          <b>{i.title}</b> <span class="text-sm text-mute">since {i.since}</span>
          <p class="text-sm text-mute">{i.words}</p>
          {#if i.where.split('?')[0] !== here || i.where.includes('?')}<a
              class="link-plain text-sm"
              href={i.where}>Settle it</a
            >{/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
