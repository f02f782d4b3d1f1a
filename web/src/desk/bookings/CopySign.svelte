<script lang="ts">
  import { copyWords, type CopyState } from '$lib/lane/lane';

  /** How a copy stands, as a small arch and a word. */
  let { state }: { state: string } = $props();
  const words = $derived(copyWords[state as CopyState] ?? state);
  const short = $derived(words.replace(/^copy /, '').replace(/[:,].*/, ''));
  const wrong = $derived(['adrift', 'failed', 'doubted'].includes(state));
</script>

<span class="inline-flex items-baseline gap-1.5" title={words}>
  <svg viewBox="0 0 14 16" width="13" height="15" class="translate-y-0.5" aria-hidden="true">
    <path
      d="M1.5 15V7a5.5 5.5 0 0 1 11 0v8z"
      class={state === 'read back' ? 'held' : wrong ? 'wrong' : 'open'}
      stroke-dasharray={state === 'read back' ? undefined : '2.4 2'}
    />
    {#if state === 'read back'}<path d="M4 9.5l2.2 2.2L10.2 7" class="tick" />{/if}
  </svg>
  <span class={wrong ? 'text-brick' : ''}>{short}</span>
</span>

<style>
  path {
    fill: none;
    stroke-width: 1.8;
  }
  .held {
    fill: var(--color-moss-fill);
    stroke: var(--color-moss-fill);
  }
  .tick {
    stroke: var(--color-moss-ink);
  }
  .open {
    stroke: var(--color-mute);
  }
  .wrong {
    stroke: var(--color-brick);
  }
</style>
