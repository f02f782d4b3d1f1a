<script lang="ts">
  import { place, type Axis } from '$lib/lane/geometry';
  import type { Drag } from './drag.svelte';

  /** In one lane: the starts to which a booking that is taken up may go, and where it is held. */
  let { drag, staff, axis }: { drag: Drag; staff: number; axis: Axis } = $props();

  const own = $derived(drag.places.filter((p) => p.staff === staff));
  const over = $derived(drag.over?.staff === staff ? drag.over : undefined);
</script>

{#each own as p (p.at)}
  {#if !p.why}<i class="lit" style={place(axis, { start: p.at, end: p.at + drag.length })}></i>{/if}
{/each}
{#if over}
  <span
    class="ghost"
    class:refused={over.why}
    style={place(axis, { start: over.at, end: over.at + drag.length })}
  >
    <b>{over.label}</b>
    {#if over.why}<span class="why">{over.why}</span>{/if}
  </span>
{/if}

<style>
  .lit {
    position: absolute;
    bottom: 0;
    height: 9px;
    border-radius: 5px 5px 0 0;
    border: 1.5px solid var(--color-gold);
    border-bottom: 0;
    background: var(--color-gold-soft);
    pointer-events: none;
  }
  .ghost {
    position: absolute;
    top: 4px;
    bottom: 0;
    z-index: 4;
    display: grid;
    align-content: start;
    padding: 3px 6px;
    border: 2px solid var(--color-primary);
    border-radius: 8px 8px 0 0;
    background: color-mix(in srgb, var(--color-secondary), transparent 12%);
    color: var(--color-ink);
    font-size: 0.75rem;
    line-height: 1.2;
    pointer-events: none;
  }
  .ghost.refused {
    border-style: dashed;
    border-color: var(--color-brick);
    background: color-mix(in srgb, var(--color-brick-soft), transparent 8%);
  }
  .why {
    white-space: nowrap;
    background: var(--color-brick-soft);
    color: var(--color-brick);
    font-weight: 600;
  }
</style>
