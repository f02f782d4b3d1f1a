<script lang="ts">
  import { searchParams } from 'sv-router';
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { over } from '$lib/api/form.svelte';
  import { Query, query } from '$lib/api/query.svelte';
  import DateInput from '$lib/ui/DateInput.svelte';
  import { isDate } from '$lib/ui/typed';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { route } from '../router';
  import { session } from '../session.svelte';

  /** Somebody is away: who takes the visits of these days, shown before anything is done. */
  const id = $derived(Number(route.params.id));
  const person = query(() => data(api.GET('/api/staff/{id}', { params: { path: { id } } })), ['rules']);
  const member = $derived(person.value?.id === id ? person.value : undefined);
  const first = $derived(member?.name.split(' ')[0] ?? '');
  /** The plan follows whose page it is, not what is told of them anew. */
  const known = $derived(!!member);
  let from = $state(String(searchParams.get('from') ?? ''));
  let until = $state(String(searchParams.get('from') ?? ''));
  $effect(() => {
    if (member && !from) from = until = member.today;
  });
  let reach = $state<'time' | 'day' | 'week'>('day');
  const reaches = [
    { key: 'time', label: 'To others at their times only' },
    { key: 'day', label: 'To others, also at another time of the day' },
    { key: 'week', label: 'Or to another day within a week' },
  ] as const;

  type State = { kind: 'plan' | 'moving' | 'moved' | 'stays' | 'back'; words?: string };
  let out = $state<Record<number, boolean>>({});
  let states = $state<Record<number, State>>({});
  let away = $state(true);
  let marked = $state('');
  let busy = $state(false);
  let stopping = $state(false);
  let fault = $state('');

  const planned = new Query<Shape<'Relief'>>();
  const days = $derived(
    isDate(from) && isDate(until) ? { from, until: until < from ? from : until } : undefined,
  );
  /** A plan is made anew when another is asked for, and stays in view while it is carried out. */
  $effect(() => {
    if (!days || !known) return;
    [out, states, marked, fault] = [{}, {}, '', ''];
    void planned.ask(() =>
      data(
        api.GET('/api/staff/{id}/relief', {
          params: { path: { id }, query: { ...days, reach, clock: clock.kind } },
        }),
      ),
    );
  });
  const plan = $derived(planned.value);
  const going = $derived(plan?.visits.filter((v) => v.found && !out[v.visit]) ?? []);
  const done = $derived(Object.values(states).filter((s) => s.kind === 'moved').length);
  const began = $derived(Object.keys(states).length > 0);
  const clients = (v: Shape<'ReliefVisit'>) =>
    v.bookings.length > 1 ? `${v.bookings.length} clients` : (v.bookings[0]?.client ?? '');

  /** Says in the hours that somebody is away, so that nothing more is sold. What stays booked is accepted: it is listed here. */
  async function markAway() {
    const path = { params: { path: { id } } };
    const now = await data(api.GET('/api/staff/{id}/days', path));
    if (!days) return;
    if (now.absences.some((a) => a.from <= days.from && a.until >= days.until)) {
      marked = `${first} was marked as away already.`;
      return;
    }
    const { version, ...body } = now;
    await data(
      api.PUT('/api/staff/{id}/days', {
        params: { path: { id }, query: { accept: 1000 }, header: over(version) },
        body: { ...body, absences: [...body.absences, { ...days, note: 'away' }] },
      }),
    );
    marked = `${first} is marked as away.`;
  }
  async function carryOut() {
    [busy, stopping, fault] = [true, false, ''];
    try {
      if (away) await markAway();
      for (const v of going) {
        if (stopping) break;
        if (states[v.visit]?.kind === 'moved') continue;
        states[v.visit] = { kind: 'moving' };
        try {
          await data(
            api.POST('/api/staff/{id}/relief', {
              params: { path: { id } },
              body: { visit: v.visit, start: v.to, staff: v.staff.id },
            }),
          );
          states[v.visit] = { kind: 'moved' };
        } catch (cause) {
          states[v.visit] = { kind: 'stays', words: problemOf(cause).message };
        }
      }
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
    }
  }
  async function takeBack(v: Shape<'ReliefVisit'>) {
    try {
      for (const k of v.bookings)
        await api.POST('/api/bookings/{id}/move', {
          params: { path: { id: k.id } },
          body: { start: v.start, staff: id, anyway: 'a hand-over is taken back' },
        });
      states[v.visit] = { kind: 'back' };
    } catch (cause) {
      states[v.visit] = { kind: 'moved', words: problemOf(cause).message };
    }
  }
</script>

{#if person.problem}<div class="p-6"><Notice tone="wrong">{person.problem.message}</Notice></div>{/if}
{#if member}
  <PersonFrame {member} here="away">
    {#snippet sentence()}
      {#if !plan}Looking for who could take over…{:else}{plan.words}
        {plan.visits.length && !began
          ? 'Nothing is moved before you say so; then ' +
            (session.now?.mailReady
              ? 'each client is told by mail, at the end.'
              : 'no mail goes out: tell the clients yourself.')
          : ''}{/if}
    {/snippet}
    <div class="flex flex-wrap items-end gap-4">
      <Field label="{first} is away from">
        {#snippet children(tie)}<DateInput bind:value={from} disabled={busy} {...tie} />{/snippet}
      </Field>
      <Field label="until">
        {#snippet children(tie)}<DateInput bind:value={until} disabled={busy} {...tie} />{/snippet}
      </Field>
      <Field label="The visits may go">
        {#snippet children(tie)}
          <select class="select w-88" bind:value={reach} disabled={busy} {...tie}>
            {#each reaches as r (r.key)}<option value={r.key}>{r.label}</option>{/each}
          </select>
        {/snippet}
      </Field>
    </div>
    {#if planned.problem}<Notice tone="wrong">{planned.problem.message}</Notice>{/if}
    {#if plan?.visits.length}
      <ul class="sheet" aria-label="Visits of these days">
        {#each plan.visits as v (v.visit)}
          {@const state = states[v.visit]}
          <li>
            <input
              type="checkbox"
              class="checkbox"
              aria-label="Hand over {clients(v)}"
              checked={v.found && !out[v.visit]}
              disabled={!v.found || busy || state?.kind === 'moved'}
              onchange={(e) => (out[v.visit] = !e.currentTarget.checked)}
            />
            <span class="hue" style="background:var(--color-hue-{v.hue})" aria-hidden="true"></span>
            <span class="min-w-0">
              <b class="block truncate"
                >{#each v.bookings as k, i (k.id)}{i ? ', ' : ''}<a
                    class="hover:underline"
                    href="/bookings/{k.id}">{k.client}</a
                  >{/each}</b
              >
              <span class="text-sm text-mute">{v.service} · {v.words}</span>
            </span>
            <span class="goes" class:text-brick={!v.found} class:text-mute={out[v.visit]}>
              {#if state?.kind === 'stays'}<span class="text-brick">Stays: {state.words}</span>
              {:else if state?.kind === 'back'}Back with {first}
              {:else if out[v.visit]}Stays with {first}
              {:else}
                {#if v.found}<svg viewBox="0 0 16 10" width="16" height="10" aria-hidden="true"
                    ><path
                      d="M0 5h13M9 1l4 4-4 4"
                      fill="none"
                      stroke="currentColor"
                      stroke-width="1.6"
                    /></svg
                  >{/if}
                <span class:font-semibold={v.found}>{v.goes}</span>{/if}
            </span>
            <span class="text-right text-sm whitespace-nowrap" role="status">
              {#if state?.kind === 'moving'}moving…
              {:else if state?.kind === 'moved'}<b class="text-moss">handed over</b>
                {#if state.words}<span class="block whitespace-normal text-brick">{state.words}</span>{/if}
                <button type="button" class="link-plain" onclick={() => void takeBack(v)}>take back</button>
              {:else if !v.found}<a class="link-plain" href="/bookings/{v.bookings[0]?.id}">open it</a>{/if}
            </span>
          </li>
        {/each}
      </ul>
    {/if}
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if plan}
      <div class="flex flex-wrap items-center gap-x-5 gap-y-3">
        {#if busy}
          <button type="button" class="btn" onclick={() => (stopping = true)}
            >{stopping ? 'Stopping…' : `Stop (${done} of ${going.length} done)`}</button
          >
        {:else if going.some((v) => states[v.visit]?.kind !== 'moved')}
          {@const left = going.filter((v) => states[v.visit]?.kind !== 'moved').length}
          <button type="button" class="btn btn-primary" onclick={() => void carryOut()}
            >Hand {left === 1 ? 'one visit' : `${left} visits`} over</button
          >
        {:else if !began && !marked}
          <button type="button" class="btn btn-primary" disabled={!away} onclick={() => void carryOut()}
            >Mark {first} as away</button
          >
        {/if}
        {#if !marked}
          <label class="flex items-center gap-2"
            ><input type="checkbox" class="checkbox checkbox-sm" bind:checked={away} disabled={busy} /> Mark {first}
            as away on these days first, so that nothing more is booked</label
          >
        {:else}
          <span role="status"
            >{marked}{done && session.now?.mailReady
              ? ' Each client is told by mail in two minutes, what holds then.'
              : ''}
            <a class="link-plain" href="/team/{id}">See the hours</a></span
          >
        {/if}
      </div>
    {/if}
  </PersonFrame>
{/if}

<style>
  li {
    display: grid;
    grid-template-columns: 24px 10px minmax(0, 1fr) minmax(0, 1fr) 11rem;
    gap: 12px;
    align-items: center;
    padding: 10px 16px;
    border-bottom: 1px solid var(--color-base-300);
  }
  li:last-child {
    border-bottom: 0;
  }
  .hue {
    width: 10px;
    height: 26px;
    border-radius: 5px 5px 0 0;
  }
  .goes {
    display: flex;
    gap: 10px;
    align-items: center;
  }
  .goes svg {
    flex: none;
  }
  @media (max-width: 767px) {
    li {
      grid-template-columns: 24px 10px minmax(0, 1fr);
    }
    .goes,
    li > :last-child {
      grid-column: 3;
      text-align: left;
    }
  }
</style>
