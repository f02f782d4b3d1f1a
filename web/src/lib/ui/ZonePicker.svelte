<script lang="ts">
  /** A native list of the zones that the browser knows, and the one that is set in any case. */
  let { value = $bindable(), ...rest }: { value: string; [attribute: string]: unknown } = $props();

  const known = Intl.supportedValuesOf('timeZone');
  const zones = $derived(known.includes(value) || !value ? known : [value, ...known]);
</script>

<select class="select w-full" bind:value {...rest}>
  {#each zones as zone (zone)}
    <option value={zone}>{zone.replaceAll('_', ' ')}</option>
  {/each}
</select>
