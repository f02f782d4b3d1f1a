<script lang="ts" generics="T extends string | boolean">
  import ChoiceInput from './ChoiceInput.svelte';
  import Field from './Field.svelte';

  /** One of a few values, in words. */
  let {
    value = $bindable(),
    label,
    of,
    error = '',
  }: { value: T; label: string; of: [T, string][]; error?: string } = $props();
</script>

<Field {label} {error}>
  {#snippet children(tie)}
    <ChoiceInput class="select w-full" {of} bind:value {...tie} />
  {/snippet}
</Field>
