<script lang="ts">
  import LengthInput from '$lib/ui/LengthInput.svelte';

  /** A length of time inside a sentence. */
  let { value = $bindable(), label, error = '' }: { value: number; label: string; error?: string } = $props();
</script>

<LengthInput class="input-sm w-20 px-2 text-center font-semibold" aria-label={label} {error} bind:value />
