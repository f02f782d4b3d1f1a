<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';

  /** What was to be looked at, and is no more. */
  const list = query(() => data(api.GET('/api/attention/settled')));
</script>

{#if list.value?.items.length}
  <ul class="sheet divide-y divide-base-300">
    {#each list.value.items as i (i.id)}
      <li class="flex flex-wrap items-baseline gap-x-4 px-4 py-2.5">
        <b class="min-w-0 grow">{i.title}</b>
        <span class="text-sm text-mute">{i.since} – {i.until}{i.by ? `, left as it was by ${i.by}` : ''}</span
        >
      </li>
    {/each}
  </ul>
{:else if list.value}
  <p class="sheet px-4 py-6 text-mute">Nothing has been settled in the last three months.</p>
{/if}
