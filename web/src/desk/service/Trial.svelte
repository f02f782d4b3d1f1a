<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import { listen } from '$lib/api/live';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';

  /** A booking that tries the service: it goes to whoever tries, and is cleaned up. */
  let { service, changed }: { service: number; changed: boolean } = $props();

  let made = $state.raw<Shape<'AtDesk'>>();
  let fault = $state('');
  let busy = $state(false);
  const booking = new Query<Shape<'ShownBooking'>>();
  const look = () => {
    const id = made?.id;
    if (id)
      void booking.ask(() =>
        data(api.GET('/api/bookings/{id}', { params: { path: { id }, query: { clock: clock.kind } } })),
      );
  };
  $effect(look);
  $effect(() => listen(look, ['bookings', 'messages', 'calendars']));
  const b = $derived(booking.value?.id === made?.id ? booking.value : undefined);
  const gone = $derived(b?.status === 'cancelled');

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
      made = await data(api.POST('/api/services/{id}/trial', { params: { path: { id: service } } }));
    });
  const clean = () =>
    act(() => api.POST('/api/bookings/{id}/cancel', { params: { path: { id: made?.id ?? 0 } } }));

  type Step = { done: boolean; wrong?: boolean; words: string };
  const steps = $derived.by((): Step[] => {
    if (!b) return [];
    const list: Step[] = [
      { done: true, words: `${b.when} with ${b.staff}: claimed, after a last look into the calendars` },
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
    if (!b.copies.length && !gone)
      list.push({ done: false, words: 'It is written to no calendar: nobody’s calendar gets bookings.' });
    return list;
  });
</script>

<section class="sheet grid gap-3 p-5" aria-label="Trial">
  <p>
    <b>Trial.</b> Books the next start, to yourself, with its claim, its copy, its mail and its room. Nothing is
    to be paid for it, and it waits for nobody’s word. It is marked, and goes by itself after half an hour.
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
    {#if !made || gone}
      <button type="button" class="btn btn-sm" disabled={busy || changed} onclick={() => void begin()}
        >{gone ? 'Try it again' : 'Try it'}</button
      >
      {#if changed}<span class="text-sm text-mute">Save first: what is saved is tried.</span>{/if}
      {#if gone}<span role="status">{b?.copies.length ? 'Cleaning up…' : 'Cleaned up.'}</span>{/if}
    {:else}
      <button type="button" class="btn btn-sm" disabled={busy} onclick={() => void clean()}>Clean up</button>
      <a class="link-plain text-sm" href="/bookings/{made.id}">see it as a booking</a>
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
