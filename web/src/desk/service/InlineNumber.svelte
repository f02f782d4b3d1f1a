<script lang="ts">
  /** A number inside a sentence. */
  let {
    value = $bindable(),
    label,
    error = '',
    min = 0,
    step = 1,
    optional = false,
  }: {
    /** Undefined only where it is optional: the field is empty then. */
    value: number | undefined;
    label: string;
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

<input
  class="input input-sm w-20 px-2 text-center font-semibold"
  class:input-error={error}
  type="number"
  aria-label={label}
  aria-invalid={error ? 'true' : undefined}
  {min}
  {step}
  value={value ?? ''}
  oninput={(e) => take(e.currentTarget.value)}
/>
