<script lang="ts">
  import type { Snippet } from 'svelte';

  /** One rule as a sentence with fields in it, and what is wrong with it below. */
  let {
    title,
    error = '',
    hint = '',
    children,
  }: { title: string; error?: string; hint?: string; children: Snippet } = $props();
</script>

<div class="rule">
  <p class="pt-1.5 text-sm font-semibold text-mute">{title}</p>
  <div>
    <div class="flex flex-wrap items-center gap-x-2 gap-y-1.5">{@render children()}</div>
    {#if error}<p class="pt-1 text-sm font-medium text-brick" role="alert">{error}</p>
    {:else if hint}<p class="pt-1 text-sm text-mute">{hint}</p>{/if}
  </div>
</div>

<style>
  .rule {
    display: grid;
    grid-template-columns: 7.5rem minmax(0, 1fr);
    gap: 12px;
    padding: 10px 0;
    border-top: 1px solid var(--color-base-300);
  }
  @media (max-width: 639px) {
    .rule {
      grid-template-columns: minmax(0, 1fr);
      gap: 2px;
    }
  }
  .rule:first-of-type {
    border-top: 0;
  }
</style>
