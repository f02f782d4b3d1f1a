<script lang="ts">
  import type { HTMLInputAttributes } from 'svelte/elements';

  /** A number being typed. What is no number yet leaves the value as it was. */
  let {
    value = $bindable(),
    optional = false,
    ...rest
  }: {
    /** Undefined only where it is optional: the field is empty then. */
    value: number | undefined;
    optional?: boolean;
  } & Omit<HTMLInputAttributes, 'value'> = $props();

  function take(text: string) {
    if (text !== '') value = Number(text);
    else if (optional) value = undefined;
  }
</script>

<input type="number" value={value ?? ''} oninput={(e) => take(e.currentTarget.value)} {...rest} />
