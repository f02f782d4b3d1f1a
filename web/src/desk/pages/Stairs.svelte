<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** How far people came on a page: four alcoves in a row, each as high as how many came so far, and where most left. */
  let { p, most }: { p: Shape<'ListedPage'>; most: number } = $props();

  const steps = $derived([
    ['opened', p.opened],
    ['chose a start', p.chosen],
    ['their details', p.details],
    ['booked', p.booked],
  ] as [string, number][]);
  /** The step after which the largest part left, where enough came to say so. */
  const left = $derived.by(() => {
    if (p.kind === 'collection' || p.opened < 10) return '';
    const parts = steps.slice(1).map(([, n], i) => 1 - n / Math.max(1, steps[i]?.[1] ?? 0));
    const worst = parts.indexOf(Math.max(...parts));
    const gone = Math.round((parts[worst] ?? 0) * 100);
    return gone > 20 ? `${gone} % leave before ${['choosing', 'their details', 'booking'][worst]}` : '';
  });
  const shown = $derived(p.kind === 'collection' ? steps.slice(0, 1) : steps);
</script>

<div class="stairs">
  {#each shown as [name, n] (name)}
    <div class="step">
      <span class="bar" style:height="{Math.max(2, (n / most) * 34)}px"></span>
      <b>{n}</b> <span class="text-mute">{name}</span>
    </div>
  {/each}
  {#if left}<p class="left">{left}</p>{/if}
</div>

<style>
  .stairs {
    display: grid;
    grid-template-columns: repeat(4, minmax(0, 1fr));
    gap: 2px 10px;
    align-items: end;
    font-size: 0.8125rem;
  }
  .step {
    line-height: 1.25;
  }
  .bar {
    display: block;
    margin-bottom: 4px;
    border-radius: 9px 9px 0 0;
    background: var(--color-secondary);
    border-bottom: 2px solid var(--color-primary);
  }
  .left {
    grid-column: 1 / -1;
    color: var(--color-mute);
  }
</style>
