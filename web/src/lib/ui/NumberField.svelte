<script lang="ts">
  import Field from './Field.svelte';
  import NumberInput from './NumberInput.svelte';

  let {
    value = $bindable(),
    label,
    hint = '',
    error = '',
    min = 0,
    step = 1,
    optional = false,
  }: {
    /** Undefined only where it is optional: the field is empty then. */
    value: number | undefined;
    label: string;
    hint?: string;
    error?: string;
    min?: number;
    step?: number;
    optional?: boolean;
  } = $props();
</script>

<Field {label} {hint} {error}>
  {#snippet children(tie)}
    <NumberInput class="input w-full" {min} {step} {optional} bind:value {...tie} />
  {/snippet}
</Field>
