<script lang="ts" generics="T extends string | boolean">
  import ChoiceInput from '$lib/ui/ChoiceInput.svelte';

  /** A choice inside a sentence. */
  let { value = $bindable(), label, of }: { value: T; label: string; of: [T, string][] } = $props();
</script>

<ChoiceInput class="select select-sm w-auto max-w-full font-semibold" aria-label={label} {of} bind:value />
