<script lang="ts">
  import { readLength, writeLength } from './typed';

  /** A length of time in minutes, read and typed as people say it: 90 min, 1 h 30, 3 days. */
  let {
    value = $bindable(),
    class: look = 'w-full',
    error = '',
    ...rest
  }: { value: number; class?: string; error?: string; [attribute: string]: unknown } = $props();

  const id = $props.id();
  let typing = $state<string>();
  const bad = $derived(typing !== undefined && readLength(typing) === undefined);

  function type(text: string) {
    typing = text;
    // What cannot be read is nothing that could be saved.
    value = readLength(text) ?? NaN;
  }
</script>

<span class="inline-block align-middle">
  <input
    class="input {look} {error || bad ? 'input-error' : ''}"
    autocomplete="off"
    spellcheck="false"
    value={typing ?? writeLength(value)}
    oninput={(e) => type(e.currentTarget.value)}
    onblur={() => {
      if (!bad) typing = undefined;
    }}
    aria-invalid={error || bad ? 'true' : undefined}
    aria-describedby={bad ? `${id}-bad` : undefined}
    {...rest}
  />
  {#if bad}<span class="block text-sm font-medium text-brick" id="{id}-bad" role="alert"
      >No length: write 90 min, 1 h 30 or 3 days.</span
    >{/if}
</span>
