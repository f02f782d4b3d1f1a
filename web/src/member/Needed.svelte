<script lang="ts">
  import { api, data, problemOf } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';

  /** What one has to look at oneself, each with the page on which it is settled. */
  let { here }: { /** The page that is open. */ here: string } = $props();

  const list = query(
    () => data(api.GET('/api/my/attention')),
    ['bookings', 'calendars', 'rules', 'attention', 'time'],
  );
  let fault = $state('');
  async function decide(id: number, accept: boolean) {
    fault = '';
    try {
      await api.POST('/api/my/bookings/{id}/decision', { params: { path: { id } }, body: { accept } });
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
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
          {#if i.asked}
            <div class="mt-1 flex gap-2">
              <button type="button" class="btn btn-primary btn-sm" onclick={() => void decide(i.asked, true)}
                >Confirm it</button
              >
              <button type="button" class="btn btn-sm" onclick={() => void decide(i.asked, false)}
                >Decline it</button
              >
            </div>
          {/if}
          {#if i.where.split('?')[0] !== here || i.where.includes('?')}<a
              class="link-plain text-sm"
              href={i.where}>Settle it</a
            >{/if}
        </li>
      {/each}
    </ul>
    {#if fault}<p class="px-4 py-2 text-sm font-medium text-brick" role="alert">{fault}</p>{/if}
  </section>
{/if}
