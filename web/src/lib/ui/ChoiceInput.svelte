<script lang="ts" generics="T extends string | boolean">
  import type { HTMLSelectAttributes } from 'svelte/elements';

  /** One of a few values, in words. */
  let {
    value = $bindable(),
    of,
    ...rest
  }: { value: T; of: [T, string][] } & Omit<HTMLSelectAttributes, 'value'> = $props();
</script>

<select bind:value {...rest}>
  {#each of as [key, words] (key)}<option value={key}>{words}</option>{/each}
</select>
