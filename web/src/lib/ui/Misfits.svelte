<script lang="ts">
  import type { Problem } from '$lib/api/client';
  import { reasonWords } from '$lib/lane/reasons';
  import Notice from './Notice.svelte';

  /** What is said before a change of rules is saved that leaves bookings outside them. */
  let { problem, onaccept, onback }: { problem: Problem; onaccept: () => void; onback: () => void } =
    $props();

  const count = $derived(problem.misfitCount);
  const more = $derived(count - problem.misfits.length);
</script>

<section class="sheet grid gap-3 p-4" aria-label="Bookings that would no longer fit" role="alert">
  <Notice>
    {#if count === 1}<b>1 booking</b> would no longer fit.{:else}<b>{count} bookings</b> would no longer fit.{/if}
    Nothing is cancelled by saving: what was booked stays booked.
  </Notice>
  <ul class="grid max-h-60 gap-1 overflow-auto text-sm">
    {#each problem.misfits as m (m.id)}
      <li>
        <b>{m.when}</b>
        {m.client}, {m.service} with {m.staff}
        <span class="text-mute">({m.reference}): {reasonWords(m.reasons)}</span>
      </li>
    {/each}
    {#if more > 0}<li class="text-mute">and {more} more</li>{/if}
  </ul>
  <div class="flex gap-2">
    <button type="button" class="btn btn-primary" onclick={onaccept}>Save, and keep them</button>
    <button type="button" class="btn" onclick={onback}>Go on editing</button>
  </div>
</section>
