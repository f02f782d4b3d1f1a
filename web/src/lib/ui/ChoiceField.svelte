<script lang="ts" generics="T extends string | boolean">
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
    <select class="select w-full" bind:value {...tie}>
      {#each of as [key, words] (key)}<option value={key}>{words}</option>{/each}
    </select>
  {/snippet}
</Field>
