<script lang="ts">
  import NumberInput from '$lib/ui/NumberInput.svelte';

  /** A number inside a sentence. */
  let {
    value = $bindable(),
    label,
    error = '',
    min = 0,
    step = 1,
    optional = false,
  }: {
    value: number | undefined;
    label: string;
    error?: string;
    min?: number;
    step?: number;
    optional?: boolean;
  } = $props();
</script>

<NumberInput
  class="input w-20 px-2 text-center font-semibold input-sm {error ? 'input-error' : ''}"
  aria-label={label}
  aria-invalid={error ? 'true' : undefined}
  {min}
  {step}
  {optional}
  bind:value
/>
