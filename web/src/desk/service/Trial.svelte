<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import { listen } from '$lib/api/live';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';

  /** The service is tried on its own page, as a client would; what came of it stands here. */
  let { service, changed }: { service: number; changed: boolean } = $props();

  let page = $state('');
  let fault = $state('');
  let busy = $state(false);
  const last = new Query<{ held?: boolean; booking?: Shape<'ShownBooking'> }>();
  const look = () =>
    void last.ask(async () => {
      const { booking: id, held } = await data(
        api.GET('/api/services/{id}/trial', { params: { path: { id: service } } }),
      );
      if (!id) return { held };
      const params = { path: { id }, query: { clock: clock.kind } };
      return { booking: await data(api.GET('/api/bookings/{id}', { params })) };
    });
  $effect(look);
  $effect(() => listen(look, ['bookings', 'messages', 'calendars']));
  const b = $derived(last.value?.booking);
  const gone = $derived(b?.status === 'cancelled');
  const stands = $derived(b && !gone);

  async function act(what: () => Promise<unknown>) {
    [busy, fault] = [true, ''];
    try {
      await what();
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
    }
  }
  const begin = () =>
    act(async () => {
      page = (await data(api.POST('/api/services/{id}/trial', { params: { path: { id: service } } })))
        .address;
      window.open(page, '_blank', 'noopener');
    });
  const clean = () =>
    act(() => api.POST('/api/bookings/{id}/cancel', { params: { path: { id: b?.id ?? 0 } } }));

  const paid: Record<Shape<'ShownPayment'>['state'], string> = {
    open: 'to be paid on the page',
    lapsed: 'not paid in time',
    closed: 'not paid',
    paid: 'paid',
    'refund due': 'going back',
    refunded: 'gone back',
  };
  type Step = { done: boolean; wrong?: boolean; words: string };
  const steps = $derived.by((): Step[] => {
    if (!b) return [];
    const list: Step[] = [
      { done: true, words: `${b.when} with ${b.staff}: claimed, after a last look into the calendars` },
      ...(b.payment
        ? [
            {
              done: b.payment.state === 'paid' || b.payment.state === 'refunded',
              wrong: !!b.payment.reason,
              words: `${b.payment.amount}: ${paid[b.payment.state]}${b.payment.reason ? `. ${b.payment.reason}` : ''}`,
            },
          ]
        : []),
      ...(b.status === 'pending'
        ? [{ done: false, words: 'It waits for an answer, as any request: open the booking to give it' }]
        : []),
      ...b.copies.map((c) => ({
        done: c.going ? false : c.state === 'read back',
        wrong: c.state === 'failed' || c.state === 'adrift',
        words: `${c.staff}’s calendar ${c.calendar}: ${c.going ? 'being removed' : c.state}${c.words ? `, ${c.words}` : ''}`,
      })),
      ...(b.link || b.room ? [{ done: !!b.link, words: b.link ? `Meeting room: ${b.link}` : b.room }] : []),
      ...b.messages
        .filter((m) => !m.later)
        .toReversed()
        .map((m) => ({
          done: m.state === 'sent',
          wrong: m.state === 'refused',
          words: `${m.name} to ${m.to}: ${m.state}${m.reason ? `. ${m.reason}` : ''}`,
        })),
    ];
    if (!b.copies.length && b.status === 'confirmed')
      list.push({ done: false, words: 'It is written to no calendar: nobody’s calendar gets bookings.' });
    return list;
  });
</script>

<section class="sheet grid gap-3 p-5" aria-label="Trial">
  <p>
    <b>Trial.</b> Opens the page as a client sees it, with leave to book there as yourself. All of it is real: the
    questions, the payment, the answer that is waited for, the copy, the room and the mail. It is marked, goes by
    itself after half an hour, and what was paid goes back.
  </p>
  {#if steps.length}
    <ul class="grid gap-1">
      {#each steps as s (s.words)}
        <li class="flex gap-2">
          <svg
            viewBox="0 0 12 14"
            width="12"
            height="14"
            class="mt-1 flex-none"
            class:done={s.done}
            class:wrong={s.wrong}><path d="M1 13V6a5 5 0 0 1 10 0v7z" /></svg
          >
          <span class="min-w-0 break-words"
            ><span class="sr-only">{s.wrong ? 'Failed:' : s.done ? 'Done:' : 'Waits:'}</span> {s.words}</span
          >
        </li>
      {/each}
    </ul>
  {/if}
  {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
  <div class="flex flex-wrap items-center gap-3">
    {#if stands && b}
      <button type="button" class="btn btn-sm" disabled={busy} onclick={() => void clean()}>Clean up</button>
      <a class="link-plain text-sm" href="/bookings/{b.id}">see it as a booking</a>
    {:else}
      <button type="button" class="btn btn-sm" disabled={busy || changed} onclick={() => void begin()}
        >{gone ? 'Try it again' : 'Try it'}</button
      >
      {#if changed}<span class="text-sm text-mute">Save first: what is saved is tried.</span>
      {:else if gone}<span role="status"
          >{b?.copies.length ? 'Cleaning up the last trial…' : 'The last trial is cleaned up.'}</span
        >
      {:else if last.value?.held}<span role="status">A trial is held, and is to be paid on its page.</span>
      {:else if page}<span role="status"
          >Book on <a class="link-plain" href={page} target="_blank" rel="noopener">the page</a>: what comes
          of it is shown here.</span
        >{/if}
    {/if}
  </div>
</section>

<style>
  svg {
    fill: none;
    stroke: var(--color-mute);
    stroke-width: 1.5;
    stroke-dasharray: 2 2;
  }
  svg.done {
    fill: var(--color-moss-fill);
    stroke: var(--color-moss-fill);
    stroke-dasharray: none;
  }
  svg.wrong {
    stroke: var(--color-brick);
    stroke-dasharray: none;
  }
</style>
