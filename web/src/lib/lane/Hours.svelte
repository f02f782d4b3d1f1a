<script lang="ts">
  import { left, type Axis } from './geometry';

  let { axis, marks }: { axis: Axis; marks: { at: number; label: string }[] } = $props();
</script>

<div class="hours relative h-6 text-xs text-mute" aria-hidden="true">
  {#each marks as m (m.at)}
    <span class="mark absolute top-1 -translate-x-1/2 whitespace-nowrap" style="left:{left(axis, m.at)}%"
      >{m.label}</span
    >
  {/each}
</div>

<style>
  .hours {
    container-type: inline-size;
  }
  /* Where hours would run into each other every second one is left out, then two of three. */
  @container (max-width: 420px) {
    .mark:nth-child(even) {
      display: none;
    }
  }
  @container (max-width: 220px) {
    .mark:nth-child(4n + 3) {
      display: none;
    }
  }
</style>
