<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { writeWork } from '$lib/ui/typed';
  import { clock } from '../clock.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** The month: people by days, each an alcove that is filled to the share that is sold, bricked or open. */
  let {
    date,
    page = 1,
    onday,
    ontitle,
  }: {
    date: string;
    /** Which of the people, where there are too many for one page. */
    page?: number;
    onday: (date: string) => void;
    ontitle: (title: string) => void;
  } = $props();

  const answer = query(() =>
    data(api.GET('/api/wall/month', { params: { query: { date, page, zones: clock.zones } } })),
  );
  const month = $derived(answer.value);
  const fault = $derived(answer.problem?.message ?? '');
  $effect(() => {
    if (month) ontitle(month.title);
  });

  const share = (part: number, open: number) => (open ? Math.min(100, (part / open) * 100) : 0);
  const words = (d: Shape<'RibbonDay'>) =>
    d.open ? `${writeWork(d.booked)} booked, ${writeWork(d.busy)} busy, of ${writeWork(d.open)}` : 'no hours';
  const weekend = (d: Shape<'RibbonDay'>) => d.weekday === 'Sat' || d.weekday === 'Sun';
</script>

{#snippet cell(name: string, d: Shape<'RibbonDay'>)}
  <button
    class="cell"
    class:weekend={weekend(d)}
    aria-label="{name}, {d.weekday} {d.day}: {words(d)}"
    title="{name}, {d.weekday} {d.day}: {words(d)}"
    onclick={() => onday(d.date)}
  >
    {#if d.open}
      <span class="alcove">
        <i class="busy" style="height:{share(d.busy, d.open)}%;bottom:{share(d.booked, d.open)}%"></i>
        <i class="booked" style="height:{share(d.booked, d.open)}%"></i>
      </span>
    {/if}
  </button>
{/snippet}

{#if fault}<div class="p-4"><Notice tone="wrong">{fault}</Notice></div>{/if}
{#if month}
  <div class="month" style="--days:{month.days.length};--people:{month.people.length + 1}">
    <span class="top"></span>
    {#each month.days as d (d.date)}
      <span class="head top" class:today={d.date === month.today}>{d.weekday.slice(0, 2)}<b>{d.day}</b></span>
    {/each}
    {#each month.people as p (p.staff.id)}
      <a class="name" href="/team/{p.staff.id}">{p.staff.name}</a>
      {#each p.days as d (d.date)}{@render cell(p.staff.name, d)}{/each}
    {/each}
    <b class="name team">The team</b>
    {#each month.days as d (d.date)}{@render cell('The team', d)}{/each}
  </div>
  <p class="legend">
    <span><i class="booked"></i> booked</span>
    <span><i class="busy"></i> personal time</span>
    <span><i class="free"></i> open</span>
  </p>
{/if}

<style>
  .month {
    display: grid;
    grid-template-columns: 118px repeat(var(--days), minmax(22px, 1fr));
    gap: 2px;
  }
  /* The days stay in view while the people pass below them. */
  .top {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--color-page);
  }
  @media (max-width: 1000px) {
    .month {
      overflow-x: auto;
    }
  }
  .head {
    display: grid;
    justify-items: center;
    font-size: 0.75rem;
    color: var(--color-mute);
  }
  .head b {
    color: var(--color-ink);
  }
  .head.today,
  .head.today b {
    color: var(--color-gold-ink);
  }
  .name {
    position: sticky;
    left: 0;
    z-index: 1;
    display: flex;
    align-items: center;
    font-size: 0.875rem;
    line-height: 1.2;
    font-weight: 700;
    overflow-wrap: anywhere;
    background: var(--color-page);
  }
  .team {
    color: var(--color-mute);
  }
  .cell {
    position: relative;
    height: 50px;
    background: var(--color-wall);
    cursor: pointer;
  }
  .cell.weekend {
    background: var(--color-wall-line);
  }
  .alcove {
    position: absolute;
    inset: 6px 2px 0;
    overflow: hidden;
    border-radius: 8px 8px 0 0;
    background: var(--color-alcove);
    box-shadow: inset 0 2px 3px -1px var(--color-recess);
  }
  .alcove i {
    position: absolute;
    inset-inline: 0;
    bottom: 0;
  }
  .booked {
    background: var(--color-primary);
  }
  .busy {
    background-color: var(--color-joint);
    background-image: linear-gradient(var(--color-tick-none) 3px, transparent 3px);
    background-size: 100% 4.5px;
  }
  .free {
    background: var(--color-alcove);
    border: 1px solid var(--color-edge);
  }
  @media print {
    .month {
      print-color-adjust: exact;
    }
    .top {
      position: static;
    }
    .cell {
      height: min(50px, calc(145mm / var(--people)));
    }
    .name {
      display: block;
      font-size: min(14px, calc(120mm / var(--people)));
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
  }
  .legend {
    display: flex;
    gap: 18px;
    padding: 10px 0 16px 118px;
    font-size: 0.8125rem;
    color: var(--color-mute);
  }
  .legend i {
    display: inline-block;
    width: 12px;
    height: 14px;
    border-radius: 6px 6px 1px 1px;
    vertical-align: -2px;
  }
</style>
