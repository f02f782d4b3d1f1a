<script lang="ts">
  /** A sentence in which stretches of time are never broken over two lines. */
  let { text }: { text: string } = $props();

  const parts = $derived(text.split(/(\d{1,2}:\d{2}(?: [ap]m)?–\d{1,2}:\d{2}(?: [ap]m)?[.,;]?)/));
</script>

{#each parts as part, i (i)}{#if i % 2}<span class="whitespace-nowrap">{part}</span>{:else}{part}{/if}{/each}
