<script lang="ts">
  import type { Snippet } from 'svelte';

  let {
    label,
    hint = '',
    error = '',
    children,
  }: {
    label: string;
    hint?: string;
    error?: string;
    /** The control; it is given the attributes that tie it to its label, hint and error. */
    children: Snippet<
      [{ id: string; 'aria-invalid': 'true' | undefined; 'aria-describedby': string | undefined }]
    >;
  } = $props();

  const id = $props.id();
  const note = $derived(error || hint ? `${id}-note` : undefined);
</script>

<div class="grid content-start gap-1">
  <label for={id} class="text-sm font-semibold">{label}</label>
  {@render children({ id, 'aria-invalid': error ? 'true' : undefined, 'aria-describedby': note })}
  {#if error}
    <p id={note} class="text-sm font-medium text-brick" role="alert">{error}</p>
  {:else if hint}
    <p id={note} class="text-sm text-mute">{hint}</p>
  {/if}
</div>
