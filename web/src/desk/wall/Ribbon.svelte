<script lang="ts">
  import type { Shape } from '$lib/api/client';

  let {
    days,
    date,
    today,
    onpick,
  }: { days: Shape<'RibbonDay'>[]; date: string; today: string; onpick: (date: string) => void } = $props();

  const share = (part: number, day: Shape<'RibbonDay'>) => (day.open ? (100 * part) / day.open : 0);
</script>

<div class="ribbon flex min-w-0 grow gap-0.5" role="group" aria-label="Days">
  {#each days as day (day.date)}
    <button
      class="day"
      class:off={day.open === 0}
      aria-current={day.date === date ? 'date' : undefined}
      onclick={() => onpick(day.date)}
      title="{Math.round(share(day.booked, day))} % booked, {Math.round(share(day.busy, day))} % personal"
    >
      <span class="name" class:today={day.date === today}>{day.weekday}</span>
      <b>{day.day}</b>
      <span class="column" aria-hidden="true">
        <i class="booked" style="height:{share(day.booked, day)}%"></i>
        <i class="busy" style="height:{share(day.busy, day)}%"></i>
      </span>
    </button>
  {/each}
</div>

<style>
  .ribbon {
    overflow-x: auto;
    scrollbar-width: none;
  }
  .day {
    position: relative;
    flex: 1 1 0;
    min-width: 38px;
    max-width: 52px;
    height: 48px;
    padding: 5px clamp(3px, 0.6vw, 8px);
    border-radius: 8px;
    text-align: left;
    cursor: pointer;
    line-height: 1.1;
  }
  .day:hover {
    background: var(--color-base-200);
  }
  .day[aria-current] {
    background: var(--color-secondary);
    color: var(--color-secondary-content);
  }
  .name {
    display: block;
    font-size: 0.75rem;
    color: var(--color-mute);
  }
  .day[aria-current] .name {
    color: inherit;
  }
  .name.today {
    color: var(--color-gold-ink);
    font-weight: 700;
  }
  .day b {
    font-size: 1rem;
    font-weight: 700;
  }
  .off b {
    color: var(--color-mute);
    font-weight: 500;
  }
  .column {
    position: absolute;
    right: clamp(3px, 0.6vw, 8px);
    bottom: 6px;
    width: 6px;
    height: 34px;
    display: flex;
    flex-direction: column-reverse;
    border-radius: 3px 3px 0 0;
    background: var(--color-base-300);
    overflow: hidden;
  }
  .booked {
    background: var(--color-tick);
  }
  .busy {
    background: var(--color-tick-none);
  }
</style>
