<script lang="ts" generics="T extends string | boolean">
  /** A choice inside a sentence. */
  let { value = $bindable(), label, of }: { value: T; label: string; of: [T, string][] } = $props();
</script>

<select
  class="select select-sm w-auto max-w-full font-semibold"
  aria-label={label}
  value={String(value)}
  onchange={(e) => {
    const found = of.find(([v]) => String(v) === e.currentTarget.value);
    if (found) value = found[0];
  }}
>
  {#each of as [v, words] (v)}<option value={String(v)}>{words}</option>{/each}
</select>
