<script lang="ts">
  import { copyWords, type CopyState } from './lane';

  let { state }: { state: CopyState } = $props();
</script>

<svg class="arch" viewBox="0 0 12 14" role="img" aria-label={copyWords[state]}>
  {#if state === 'read back'}
    <path d="M1 13.5V6a5 5 0 0 1 10 0v7.5z" fill="#fff" />
    <path d="M3.3 8.4l2 2 3.5-4.4" fill="none" stroke="#14262c" stroke-width="1.7" />
  {:else if state === 'waiting'}
    <path d="M1.8 12.7V6a4.2 4.2 0 0 1 8.4 0v6.7z" class="line" stroke-dasharray="2 1.5" />
  {:else if state === 'written'}
    <path d="M1.8 12.7V6a4.2 4.2 0 0 1 8.4 0v6.7z" class="line" />
  {:else if state === 'doubted'}
    <path d="M1.8 12.7V6a4.2 4.2 0 0 1 8.4 0v6.7z" class="line" stroke-dasharray="2 1.5" />
    <path d="M4.6 6.4a1.5 1.5 0 1 1 2.2 1.4q-.8.4-.8 1.3M6 10.6v.8" class="line" stroke-width="1.2" />
  {:else if state === 'adrift'}
    <path d="M3.8 10.2V5.4a3.6 3.6 0 0 1 7.2 0v4.8z" class="line" />
    <path d="M.6 13q1.3-1.7 2.7 0t2.7 0t2.7 0t2.7 0" class="line" stroke-width="1.2" />
  {:else}
    <path d="M1.8 12.7V6a4.2 4.2 0 0 1 3-4M7.4 2a4.2 4.2 0 0 1 2.8 4v2M10.2 10.4v2.3H1.8" class="line" />
    <path d="M3.4 9.6l2.2-2.6 1.4 1.6 2.4-3" class="line" stroke-width="1.2" />
  {/if}
</svg>

<style>
  .arch {
    width: 12px;
    height: 14px;
    flex: none;
  }
  .line {
    fill: none;
    stroke: #fff;
    stroke-width: 1.5;
  }
</style>
