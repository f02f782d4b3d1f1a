<script lang="ts">
  import { left, type Axis } from './geometry';

  let { axis, marks }: { axis: Axis; marks: { at: number; label: string }[] } = $props();
</script>

<div class="relative h-6 text-xs text-mute" aria-hidden="true">
  {#each marks as m (m.at)}
    <span class="absolute top-1 -translate-x-1/2 whitespace-nowrap" style="left:{left(axis, m.at)}%"
      >{m.label}</span
    >
  {/each}
</div>
