<script lang="ts">
  import Field from './Field.svelte';

  /** A password: the one that there is, or a new one. */
  let {
    value = $bindable(),
    label = 'Password',
    fresh = false,
    error = '',
  }: { value: string; label?: string; fresh?: boolean; error?: string } = $props();
</script>

<Field {label} hint={fresh ? 'At least 10 characters. Three unusual words do well.' : ''} {error}>
  {#snippet children(tie)}
    <input
      class="input w-full"
      type="password"
      autocomplete={fresh ? 'new-password' : 'current-password'}
      bind:value
      {...tie}
    />
  {/snippet}
</Field>
