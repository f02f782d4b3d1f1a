<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Lags from '../health/Lags.svelte';
  import { age } from '$lib/links/words';
  import { session } from '../session.svelte';

  /** How calendars and their hosts fared lately: what is behind, what fails, who is slow. */
  let period = $state<'day' | 'week'>('day');
  const answer = query(
    () => data(api.GET('/api/health', { params: { query: { period } } })),
    ['calendars', 'time'],
  );
  const calendars = $derived(answer.value?.calendars ?? []);
  const worst = $derived(calendars.slice(0, 8));
  const zone = $derived(session.now?.business?.zone ?? 'UTC');
  /** Since when anything is known. */
  const known = $derived(
    answer.value?.hours.find((_, i) => calendars.some((c) => typeof c.lags?.[i] === 'number')) ?? '',
  );
  const since = $derived(
    known &&
      new Intl.DateTimeFormat('en-GB', {
        timeZone: zone,
        weekday: 'long',
        hour: '2-digit',
        minute: '2-digit',
      }).format(Date.parse(known)),
  );
  const behind = $derived(calendars.filter((c) => c.worst > 1800).length);
</script>

<svelte:head><title>Calendars’ health · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl grid-cols-[minmax(0,1fr)] content-start gap-4 px-6 py-6">
  <header class="flex flex-wrap items-start gap-3">
    <div class="grow">
      <h1 class="text-2xl">Calendars’ health</h1>
      <p class="text-lg text-mute">
        {#if !calendars.length}Nothing has been noted yet; it is, every minute.
        {:else if behind}{behind === 1 ? 'One calendar was' : `${behind} calendars were`} not read for half an hour
          or more.
        {:else}Every calendar was read within half an hour, as far as is known: since {since}.{/if}
      </p>
    </div>
    <select class="select select-sm w-40" aria-label="Period" bind:value={period}>
      <option value="day">the last day</option>
      <option value="week">the last week</option>
    </select>
  </header>
  {#if answer.problem}<Notice tone="wrong">{answer.problem.message}</Notice>{/if}
  {#if answer.value && calendars.length}
    <section class="sheet px-4 py-3" aria-label="Lag">
      <h2 class="text-base font-bold">How long ago they had been read, at worst</h2>
      {#key `${period} ${answer.value.hours.length}`}
        <Lags
          hours={answer.value.hours}
          {zone}
          lines={worst.map((c, i) => ({ name: c.name, hue: i, lags: c.lags ?? [] }))}
        />
      {/key}
    </section>
    <section class="sheet overflow-x-auto" aria-label="Calendars">
      <table>
        <thead
          ><tr
            ><th>Calendar</th><th>Whose</th><th>Read</th><th>At worst</th><th>Readings</th><th>Failed</th></tr
          ></thead
        >
        <tbody>
          {#each calendars as c, i (c.id)}
            <tr>
              <td
                ><span
                  class="mark"
                  style:background={i < 8 ? `var(--color-hue-${i})` : 'transparent'}
                  aria-hidden="true"
                ></span><a class="link-plain" href="/team/{c.staff.id}/calendars">{c.name}</a></td
              >
              <td>{c.staff.name}</td>
              <td class={c.state === 'fresh' ? '' : 'font-semibold text-brick'}
                >{c.state === 'fresh' ? '' : `${c.state}, `}{c.ago < 0 ? 'never' : `${age(c.ago)} ago`}</td
              >
              <td>{age(c.worst)}</td>
              <td>{c.reads}</td>
              <td class={c.failures ? 'font-semibold text-brick' : ''}>{c.failures}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </section>
    <section class="sheet overflow-x-auto" aria-label="Hosts">
      <table>
        <thead
          ><tr
            ><th>Host, the slowest first</th><th>On average</th><th>Slowest</th><th>Readings</th><th
              >Failed</th
            ><th>Writes</th><th>Failed</th></tr
          ></thead
        >
        <tbody>
          {#each answer.value.hosts as h (h.host)}
            <tr>
              <td>{h.host}</td><td>{h.average} ms</td><td>{h.slowest} ms</td><td>{h.reads}</td>
              <td class={h.readFailures ? 'font-semibold text-brick' : ''}>{h.readFailures}</td><td
                >{h.writes}</td
              >
              <td class={h.writeFailures ? 'font-semibold text-brick' : ''}>{h.writeFailures}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </section>
  {/if}
</div>

<style>
  table {
    width: 100%;
    font-variant-numeric: tabular-nums;
  }
  th {
    text-align: left;
    font-size: 0.875rem;
    color: var(--color-mute);
  }
  :is(th, td) {
    padding: 7px 14px;
  }
  tbody tr {
    border-top: 1px solid var(--color-base-300);
  }
  .mark {
    display: inline-block;
    width: 9px;
    height: 12px;
    margin-right: 8px;
    border-radius: 5px 5px 0 0;
  }
</style>
