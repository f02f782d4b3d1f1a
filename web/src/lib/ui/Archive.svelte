<script lang="ts">
  import { problemOf, type Problem } from '$lib/api/client';
  import Misfits from './Misfits.svelte';
  import Notice from './Notice.svelte';

  /** Archives something, or brings it back. It can be undone, so it asks only where bookings would no longer fit. */
  let {
    name,
    archived,
    effect,
    onchange,
  }: {
    name: string;
    archived: boolean;
    /** What archiving does, in a sentence. */
    effect: string;
    onchange: (archived: boolean, accept: number) => Promise<void>;
  } = $props();

  let problem = $state<Problem>();
  let busy = $state(false);

  async function turn(on: boolean, accept = 0) {
    busy = true;
    problem = undefined;
    try {
      await onchange(on, accept);
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<div class="grid gap-3">
  {#if archived}
    <Notice>
      {name} is archived.
      <button type="button" class="link-plain" disabled={busy} onclick={() => turn(false)}>Bring back</button>
    </Notice>
  {:else}
    <p class="text-sm text-mute">
      <button type="button" class="link-plain" disabled={busy} onclick={() => turn(true)}
        >Archive {name}</button
      >
      {effect}
    </p>
  {/if}
  {#if problem?.misfitCount}
    <Misfits
      {problem}
      onaccept={() => turn(true, problem?.misfitCount)}
      onback={() => (problem = undefined)}
    />
  {:else if problem}
    <Notice tone="wrong">{problem.message}</Notice>
  {/if}
</div>
