<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { took } from './words';

  /** A proof as an arcade: an arch for each step, filled once it has held. */
  let { steps, picked, onpick }: { steps: Shape<'Step'>[]; picked: string; onpick: (key: string) => void } =
    $props();

  const said: Record<Shape<'Step'>['state'], string> = {
    waiting: 'still to come',
    running: 'goes on',
    held: 'held',
    failed: 'failed',
    'passed over': 'nothing to prove',
    'not tried': 'not tried',
  };
</script>

<ol class="arcade" aria-label="Steps">
  {#each steps as s, i (s.key)}
    <li>
      <button
        type="button"
        class="arch {s.state.replace(' ', '-')}"
        aria-pressed={picked === s.key}
        aria-label="{i + 1}, {s.label}: {said[s.state]}"
        disabled={s.state === 'waiting'}
        onclick={() => onpick(picked === s.key ? '' : s.key)}
      >
        <svg viewBox="0 0 24 24" width="26" height="26" aria-hidden="true">
          {#if s.state === 'held'}<path d="M5 13l4.5 4.5L19 7.5" />
          {:else if s.state === 'failed'}<path d="M6 6l12 12M18 6L6 18" />
          {:else if s.state === 'passed over'}<path d="M6 12h12" />
          {:else if s.state === 'running'}<circle cx="12" cy="12" r="3.5" class="dot" />{/if}
        </svg>
        <b>{s.label}</b>
      </button>
      <span class="took"
        >{s.state === 'held' || s.state === 'failed'
          ? took(s.millis)
          : s.state === 'running'
            ? '…'
            : s.state === 'waiting'
              ? ''
              : said[s.state]}</span
      >
    </li>
  {/each}
</ol>

<style>
  .arcade {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(5.1rem, 1fr));
    gap: 6px 5px;
  }
  li {
    display: grid;
  }
  .arch {
    display: flex;
    flex-direction: column;
    align-items: center;
    justify-content: space-between;
    height: 6.6rem;
    padding: 1.2rem 4px 0.5rem;
    border: 2px solid transparent;
    border-bottom: 3px solid var(--color-sill-line);
    border-radius: 3.4rem 3.4rem 0 0;
    font-size: 0.8125rem;
    line-height: 1.15;
    text-align: center;
    cursor: pointer;
  }
  .arch:disabled {
    cursor: default;
  }
  .arch svg {
    flex: none;
    fill: none;
    stroke: currentColor;
    stroke-width: 3;
    stroke-linecap: round;
    stroke-linejoin: round;
  }
  .arch .dot {
    fill: var(--color-gold);
    stroke: none;
  }
  .held {
    background: var(--color-moss-fill);
    color: var(--color-moss-ink);
  }
  .failed {
    border-color: var(--color-brick);
    background: var(--color-brick-soft);
    color: var(--color-ink);
  }
  .failed svg {
    stroke: var(--color-brick);
  }
  .running {
    border-color: var(--color-gold);
    background: var(--color-base-100);
  }
  .waiting,
  .not-tried {
    border-color: var(--color-sill-line);
    border-style: dashed;
    border-bottom-style: solid;
    color: var(--color-mute);
  }
  .passed-over {
    background: var(--color-wall);
    color: var(--color-mute);
  }
  .arch[aria-pressed='true'] {
    border-bottom-color: var(--color-primary);
    box-shadow: inset 0 -4px 0 var(--color-primary);
  }
  .took {
    padding-top: 3px;
    font-size: 0.8125rem;
    text-align: center;
    color: var(--color-mute);
    font-variant-numeric: tabular-nums;
  }
</style>
