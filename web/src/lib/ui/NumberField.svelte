<script lang="ts">
  import Field from './Field.svelte';

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

  function take(text: string) {
    if (text !== '') value = Number(text);
    else if (optional) value = undefined;
  }
</script>

<Field {label} {hint} {error}>
  {#snippet children(tie)}
    <input
      class="input w-full"
      type="number"
      {min}
      {step}
      value={value ?? ''}
      oninput={(e) => take(e.currentTarget.value)}
      {...tie}
    />
  {/snippet}
</Field>
