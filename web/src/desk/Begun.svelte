<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { isActive } from './router';

  /** How far a new business is, until all is done or it is put away. */
  let over = false;
  const beginning = query(async () => {
    if (over) return undefined; // it is not asked for ever
    const now = await data(api.GET('/api/beginning'));
    over = now.over;
    return now;
  }, ['rules', 'calendars', 'proofs', 'bookings']);
  const steps = $derived(beginning.value?.steps ?? []);
  const done = $derived(steps.filter((s) => s.done).length);
</script>

{#if beginning.value && !beginning.value.over && !isActive('/begin')}
  <section
    class="flex flex-wrap items-center gap-3 bg-secondary px-4 py-2 print:hidden"
    aria-label="Setting up"
  >
    <span class="flex items-end gap-1" aria-hidden="true">
      {#each steps as s (s.key)}<i class="arch" class:done={s.done}></i>{/each}
    </span>
    <span class="grow">Setting up: {done} of {steps.length} done.</span>
    <a class="btn btn-primary btn-sm" href="/begin">Go on</a>
  </section>
{/if}

<style>
  .arch {
    width: 11px;
    height: 14px;
    border: 1.5px solid var(--color-mute);
    border-radius: 6px 6px 0 0;
  }
  .arch.done {
    border-color: var(--color-moss-fill);
    background: var(--color-moss-fill);
  }
</style>
