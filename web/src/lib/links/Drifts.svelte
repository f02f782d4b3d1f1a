<script lang="ts">
  import { problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';

  /** Copies of a visit that somebody has made others outside: what holds is settled here. */
  type Holds = Shape<'Settlement'>['holds'];
  let {
    drifts,
    settle,
    onsettled = () => undefined,
  }: {
    drifts: Shape<'Drift'>[];
    settle: (copy: number, holds: Holds) => Promise<unknown>;
    onsettled?: () => void;
  } = $props();

  let busy = $state(false);
  let fault = $state('');
  async function choose(copy: number, holds: Holds) {
    [busy, fault] = [true, ''];
    try {
      await settle(copy, holds);
      onsettled();
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
    }
  }
</script>

{#each drifts as d (d.copy)}
  <Notice>
    <p><b>Which holds, the booking or “{d.calendar}”?</b> {d.words}</p>
    <div class="mt-2 flex flex-wrap gap-2">
      <button
        type="button"
        class="btn btn-sm h-auto min-h-8 max-w-full py-1 text-left whitespace-normal"
        disabled={busy}
        onclick={() => void choose(d.copy, 'booking')}>The booking: put the copy right</button
      >
      {#if d.lies}
        <button
          type="button"
          class="btn btn-sm h-auto min-h-8 max-w-full py-1 text-left whitespace-normal"
          disabled={busy}
          onclick={() => void choose(d.copy, 'calendar')}>The calendar: move the booking to {d.lies}</button
        >
      {/if}
      <button
        type="button"
        class="btn btn-ghost btn-sm"
        disabled={busy}
        onclick={() => void choose(d.copy, 'neither')}>Leave both</button
      >
    </div>
    {#if d.lies}<p class="mt-1 text-sm">Both times are held until it is settled.</p>{/if}
  </Notice>
{/each}
{#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
