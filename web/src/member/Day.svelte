<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Drifts from '$lib/links/Drifts.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { piecesOf } from './day';

  /** An own day: what is open, busy and booked. */
  let { me }: { me: Shape<'Myself'> } = $props();

  let date = $state(new URLSearchParams(location.search).get('date') ?? '');
  const ask = () => data(api.GET('/api/my/day', { params: { query: { date, clock: me.clock } } }));
  const day = query(ask, ['bookings', 'calendars', 'rules', 'time']);
  const clock = $derived(
    new Intl.DateTimeFormat('en-GB', {
      timeZone: me.zone,
      hour: me.clock === '12' ? 'numeric' : '2-digit',
      minute: '2-digit',
      hour12: me.clock === '12',
    }),
  );
  const pieces = $derived(day.value ? piecesOf(day.value.lane, (at) => clock.format(at)) : []);

  function step(by: number) {
    const noon = Date.parse(`${day.value?.date ?? me.today}T12:00:00Z`);
    date = new Date(noon + by * 86_400_000).toISOString().slice(0, 10);
  }
</script>

<svelte:head><title>{day.value?.title ?? 'My day'}</title></svelte:head>

{#if day.value}
  <header>
    <h1 class="text-2xl">{day.value.title}</h1>
    <p class="text-lg text-mute">{day.value.words}</p>
  </header>
  <ol class="grid gap-2">
    {#each pieces as p (`${p.kind} ${p.from}`)}
      <li class="grid grid-cols-[4.25rem_minmax(0,1fr)] items-start gap-3">
        <time class="pt-2.5 text-right font-bold tabular-nums">{p.at}</time>
        <div>
          <div class="piece {p.kind}">
            <b>{p.title}</b>
            {#if p.text}<span class="block text-sm">{p.text}</span>{/if}
          </div>
          {#if p.drifts.length}
            <div class="mt-2 grid gap-2">
              <Drifts
                drifts={p.drifts}
                settle={(id, holds) =>
                  api.POST('/api/my/copies/{id}/settle', { params: { path: { id } }, body: { holds } })}
                onsettled={() => void day.ask(ask)}
              />
            </div>
          {/if}
          {#if p.clash}<div class="mt-2"><Notice>{p.clash}</Notice></div>{/if}
        </div>
      </li>
    {:else}
      <li class="text-mute">You have no hours on this day.</li>
    {/each}
  </ol>
  <div class="flex gap-2">
    <button type="button" class="btn btn-sm" onclick={() => step(-1)}>The day before</button>
    {#if day.value.date !== me.today}
      <button type="button" class="btn btn-sm" onclick={() => (date = '')}>Today</button>
    {/if}
    <button type="button" class="btn btn-sm" onclick={() => step(1)}>The day after</button>
  </div>
{:else if day.problem}
  <Notice tone="wrong">{day.problem.message}</Notice>
{/if}

<style>
  .piece {
    padding: 9px 12px;
    border-radius: 8px 8px 1px 1px;
    overflow-wrap: anywhere;
  }
  .open {
    background: var(--color-alcove);
    border: 1px solid var(--color-edge);
    color: var(--color-mute);
    box-shadow: inset 0 2px 3px rgb(0 0 0 / 6%);
  }
  .open b {
    font-weight: 400;
  }
  .visit {
    background: var(--color-primary);
    color: var(--color-primary-content);
  }
  .busy {
    background:
      repeating-linear-gradient(90deg, transparent 0 22px, var(--color-joint) 22px 24px) 0 0 / 100% 100%,
      var(--color-brickwork);
    border-block: 2px solid var(--color-joint);
  }
  .busy b,
  .busy span {
    background: var(--color-brickwork);
  }
</style>
