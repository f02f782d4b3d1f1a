<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { number } from './form';

  /** The slot budget: an arcade from all possible starts to what is offered, in which each arch has lost what its rule costs. */
  let {
    preview,
    opened = $bindable(),
  }: { preview: Shape<'Preview'>; /** The step that is opened. */ opened: string } = $props();

  const steps = $derived(preview.steps.filter((s) => s.lost > 0 || s.was > 0));
  const tall = $derived(Math.max(1, preview.possible));
  /** How high each arch stands: what is left before its rule has taken its part. */
  const arches = $derived(
    steps.map((s, i) => {
      const before = preview.possible - steps.slice(0, i).reduce((sum, p) => sum + p.lost, 0);
      return { ...s, height: (before / tall) * 100, cut: before ? (s.lost / before) * 100 : 0 };
    }),
  );
</script>

<div class="arcade" role="group" aria-label="Slot budget">
  <div class="step">
    <span class="niche"><i class="whole" style="height:{preview.possible ? 100 : 0}%"></i></span>
    <b>{number(preview.possible)}</b><span>possible</span>
  </div>
  {#each arches as s (s.code)}
    <button
      type="button"
      class="step"
      class:opened={opened === s.code}
      aria-expanded={opened === s.code}
      aria-label="{s.name}: costs {s.lost}{s.was >= 0 && s.was !== s.lost ? `, ${s.was} as saved` : ''}"
      onclick={() => (opened = opened === s.code ? '' : s.code)}
    >
      <span class="niche">
        <i class="stands" style="height:{s.height}%"><i class="bricked" style="height:{s.cut}%"></i></i>
      </span>
      <b>−{number(s.lost)}</b><span>{s.name}</span>
      {#if s.was >= 0 && s.was !== s.lost}<span class="was">was −{number(s.was)}</span>{/if}
    </button>
  {/each}
  <div class="step">
    <span class="niche"><i class="offered" style="height:{(preview.offered / tall) * 100}%"></i></span>
    <b>{number(preview.offered)}</b><span>offered</span>
    {#if preview.was >= 0 && preview.was !== preview.offered}
      <span class="was">was {number(preview.was)}</span>
    {/if}
  </div>
</div>

<style>
  .arcade {
    display: flex;
    gap: 6px;
    overflow-x: auto;
    padding: 2px;
  }
  .step {
    flex: 1 1 0;
    min-width: 76px;
    display: flex;
    flex-direction: column;
    align-items: center;
    font-size: 0.8125rem;
    line-height: 1.3;
    text-align: center;
    color: var(--color-mute);
  }
  .step b {
    color: var(--color-ink);
    font-size: 0.9375rem;
  }
  button.step {
    cursor: pointer;
    border-radius: 6px;
    padding-bottom: 3px;
  }
  button.step:hover,
  button.step.opened {
    background: var(--color-secondary);
    color: var(--color-ink);
  }
  .niche {
    position: relative;
    display: block;
    width: 54px;
    height: 116px;
    margin-bottom: 4px;
  }
  .niche > i {
    position: absolute;
    inset: auto 0 0;
    overflow: hidden;
    border-radius: 27px 27px 0 0;
  }
  .whole {
    background: var(--color-tick-none);
  }
  .stands {
    background: var(--color-edge);
  }
  .bricked {
    position: absolute;
    inset: 0 0 auto;
    background: var(--color-joint);
  }
  .bricked::after {
    content: '';
    position: absolute;
    inset: 0;
    background: var(--color-tick-none);
    mask: url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' width='18' height='12'%3E%3Cpath d='M.5 .5h17v5H.5zM0 6.5h8.5v5H0zM9.5 6.5H18v5H9.5z'/%3E%3C/svg%3E");
  }
  .offered {
    background: var(--color-primary);
  }
  .was {
    font-size: 0.75rem;
    color: var(--color-gold-ink);
  }
</style>
