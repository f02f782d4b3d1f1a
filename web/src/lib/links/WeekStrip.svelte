<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** The coming week of one calendar: a niche for each day, with what events take, and visits in it. */
  let { week }: { week: Shape<'StripDay'>[] } = $props();

  /** From when to when a niche reaches, in minutes of the day; what lies beyond is drawn at its ends. */
  const [from, to] = [7 * 60, 21 * 60];
  function place([start, end]: number[]): string {
    const at = (m: number) => ((Math.min(Math.max(m, from), to) - from) / (to - from)) * 100;
    const [top, bottom] = [at(start ?? 0), at(end ?? 0)];
    const height = Math.max(bottom - top, 8);
    return `top:${Math.min(top, 100 - height)}%;height:${height}%`;
  }
</script>

<div class="strip" role="img" aria-label={week.map((d) => d.words).join('; ')}>
  {#each week as d (d.words)}
    <span class="day" title={d.words}>
      <span class="niche">
        {#each d.busy as b, i (i)}<i class="busy" style={place(b)}></i>{/each}
        {#each d.taken as b, i (i)}<i class="visit" style={place(b)}></i>{/each}
      </span>
      {d.label}
    </span>
  {/each}
</div>

<style>
  .strip {
    display: grid;
    grid-template-columns: repeat(7, minmax(0, 1fr));
    gap: 3px;
  }
  .day {
    display: grid;
    font-size: 0.6875rem;
    line-height: 1.2;
    text-align: center;
    color: var(--color-mute);
  }
  .niche {
    position: relative;
    height: 48px;
    margin-bottom: 2px;
    overflow: hidden;
    border-radius: 7px 7px 0 0;
    background: var(--color-base-300);
  }
  .niche i {
    position: absolute;
    inset-inline: 2px;
    border-radius: 1px;
  }
  .busy {
    background: var(--color-tick-none);
  }
  .visit {
    background: var(--color-primary);
  }
</style>
