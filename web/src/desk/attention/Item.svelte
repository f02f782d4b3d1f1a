<script lang="ts">
  import { clientHears } from '../hears';
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Drifts from '$lib/links/Drifts.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import OneLane from '../wall/OneLane.svelte';

  /** One thing to look at: what it is, and what can be done, each with its effect. */
  let {
    item,
    ondone,
  }: {
    item: Shape<'AttentionItem'>;
    /** Told what was done, and how it is undone. */
    ondone: (words: string, undo: () => Promise<unknown>) => void;
  } = $props();

  let busy = $state(false);
  let fault = $state('');
  /** What is asked once more before it is done. */
  let sure = $state('');

  async function act(what: Promise<unknown>, done?: string, undo?: () => Promise<unknown>) {
    [busy, fault] = [true, ''];
    try {
      await what;
      if (done && undo) ondone(done, undo);
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      [busy, sure] = [false, ''];
    }
  }
  /** Where a visit on which something lies could go. */
  const movable = $derived(
    (item.kind === 'clash' || item.kind === 'unfit' || item.kind === 'answer') && item.bookings.length === 1
      ? item.bookings[0]
      : undefined,
  );
  const ways = query(async () =>
    movable
      ? (await data(api.GET('/api/bookings/{id}/ways', { params: { path: { id: movable } } }))).items
      : [],
  );
  const some = $derived({ body: { ids: [item.id] } });
  const back = () => api.POST('/api/attention/back', some);
  const wall = $derived(item.date ? `/?date=${item.date}${item.visit ? `&visit=${item.visit}` : ''}` : '');
  const calendars = $derived(item.staff ? `/team/${item.staff.id}/calendars` : '/team');
  const visit = $derived({ params: { path: { id: item.visit } } });
  const booking = $derived({ params: { path: { id: item.booking } } });
  const name = $derived(item.staff?.name.split(' ')[0] ?? '');

  type Deed = {
    label: string;
    about: string;
    href?: string;
    run?: () => Promise<unknown>;
    /** What undoes it, where that can be. */
    undo?: () => Promise<unknown>;
    /** What is asked before it is done, since a client is told. */
    ask?: string;
  };
  const deeds = $derived.by((): Deed[] => {
    switch (item.kind) {
      case 'clash':
      case 'unfit':
      case 'answer':
        return [
          ...(ways.value ?? []).map((w): Deed => ({
            label: w.words,
            about: `${w.about}; ${clientHears()}`,
            ask: 'Yes, move',
            undo: () =>
              api.POST('/api/bookings/{id}/move', {
                params: { path: { id: movable ?? 0 } },
                body: { start: item.start, staff: item.staff?.id ?? 0, anyway: 'a move is taken back' },
              }),
            run: () =>
              api.POST('/api/bookings/{id}/move', {
                params: { path: { id: movable ?? 0 } },
                body: { start: w.start, staff: w.staff.id },
              }),
          })),
          ...(movable
            ? [
                {
                  label: 'Other starts or people',
                  about: 'or a time that is not offered',
                  href: `/bookings/${movable}`,
                },
              ]
            : []),
          {
            label: item.bookings.length > 1 ? 'Cancel the bookings' : 'Cancel the booking',
            about: `its time is free again; ${clientHears()}`,
            ask: 'Yes, cancel',
            run: () => api.POST('/api/bookings/cancel', { body: { ids: item.bookings } }),
          },
        ];
      case 'drift':
        return [
          { label: 'See it on the wall', about: 'where the visit is, and where its copy lies', href: wall },
        ];
      case 'unwritten':
        return [
          {
            label: 'Write it again',
            about: 'at once, and read it back',
            run: () => api.POST('/api/visits/{id}/copies', visit),
          },
          { label: `${name}’s calendars`, about: 'choose another one that gets bookings', href: calendars },
        ];
      case 'link':
      case 'unread':
        return [
          {
            label: `${name ? `${name}’s` : 'The'} calendars`,
            about: 'renew the link, or choose others',
            href: calendars,
          },
        ];
      case 'target':
        return [
          {
            label: `${name}’s calendars`,
            about: 'ask for a link, or choose where bookings go',
            href: calendars,
          },
        ];
      case 'hours':
        return [
          { label: `${name}’s hours`, about: 'say when this person works', href: `/team/${item.staff?.id}` },
        ];
      case 'pending':
        return [
          {
            label: 'Confirm it',
            about: 'the client’s page says so, and it is written outside',
            run: () => api.POST('/api/bookings/{id}/decision', { ...booking, body: { accept: true } }),
          },
          {
            label: 'Decline it',
            about: `its time is free again; ${clientHears()}`,
            ask: 'Yes, decline',
            run: () => api.POST('/api/bookings/{id}/decision', { ...booking, body: { accept: false } }),
          },
          { label: 'See it on the wall', about: 'with what else there is that day', href: wall },
        ];
      case 'proof':
        return [
          {
            label: 'See the proof',
            about: 'which step did not hold, and the likeliest cause',
            href: `/proofs?link=${item.link}`,
          },
          {
            label: 'Prove it now',
            about: 'takes some seconds; nobody is written to',
            run: () => api.POST('/api/proofs', { body: { links: [item.link] } }),
          },
        ];
      case 'mail':
        return [
          {
            label: 'Mail settings',
            about: 'the server, a trial, and what went out lately',
            href: '/settings#mail',
          },
        ];
      default:
        return [];
    }
  });
</script>

<p class="text-sm text-mute">{item.label} · {item.since}{item.hurts ? ` · ${item.hurts}` : ''}</p>
<h2 class="text-xl">{item.title}</h2>
<p class="mt-1">{item.words}</p>
{#if item.aside}<p class="mt-2 text-sm text-mute">It is {item.aside}.</p>{/if}
{#if item.date && item.staff}
  <div class="mt-2"><OneLane date={item.date} staff={item.staff.id} visit={item.visit} /></div>
{/if}
<h3 class="mt-4 border-b border-base-300 pb-1 text-sm font-semibold text-mute">What can be done</h3>
{#if item.drift}
  <div class="mt-3 grid gap-2">
    <Drifts
      drifts={[item.drift]}
      settle={(id, holds) =>
        api.POST('/api/copies/{id}/settle', { params: { path: { id } }, body: { holds } })}
    />
  </div>
{/if}
<ul class="divide-y divide-base-300">
  {#each deeds as d (d.label)}
    <li class="flex items-center gap-3 py-2.5">
      <span class="min-w-0 grow"
        ><b class="block">{d.label}</b><span class="text-sm text-mute">{d.about}</span></span
      >
      {#if d.href}
        <a class="btn btn-sm" href={d.href}>Open<span class="sr-only">: {d.label}</span></a>
      {:else if d.run && d.ask && sure !== d.label}
        <button type="button" class="btn btn-sm" disabled={busy} onclick={() => (sure = d.label)}
          >{d.label.split(' ')[0]}…</button
        >
      {:else if d.run}
        <button
          type="button"
          class="btn btn-sm {d.ask && !d.label.match(/^(Move|Give)/) ? 'btn-error' : 'btn-primary'}"
          disabled={busy}
          onclick={() => d.run && void act(d.run(), d.undo && 'It was moved.', d.undo)}
          >{d.ask ?? d.label.split(' ')[0]}</button
        >
      {/if}
    </li>
  {/each}
  {#if item.aside}
    <li class="flex items-center gap-3 py-2.5">
      <span class="min-w-0 grow"
        ><b class="block">Look at it again</b><span class="text-sm text-mute"
          >it comes back into the list</span
        ></span
      >
      <button type="button" class="btn btn-sm" disabled={busy} onclick={() => void act(back())}
        >Bring back</button
      >
    </li>
  {:else}
    {#if item.leave}
      <li class="flex items-center gap-3 py-2.5">
        <span class="min-w-0 grow"
          ><b class="block">{item.kind === 'clash' ? 'Keep both' : 'Leave it as it is'}</b><span
            class="text-sm text-mute"
            >nothing changes; it is out of the list as long as it stays the same</span
          ></span
        >
        <button
          type="button"
          class="btn btn-sm"
          disabled={busy}
          onclick={() => void act(api.POST('/api/attention/leave', some), 'It is left as it is.', back)}
          >{item.kind === 'clash' ? 'Keep both' : 'Leave it'}</button
        >
      </li>
    {/if}
    <li class="flex items-center gap-3 py-2.5">
      <span class="min-w-0 grow"
        ><b class="block">Put it off</b><span class="text-sm text-mute">until then it is out of the list</span
        ></span
      >
      <select
        class="select select-sm w-40"
        aria-label="Put it off until"
        disabled={busy}
        value=""
        onchange={(e) => {
          const until = e.currentTarget.value as Shape<'PuttingOff'>['until'];
          void act(
            api.POST('/api/attention/put-off', { body: { ids: [item.id], until } }),
            'It is put off.',
            back,
          );
        }}
      >
        <option value="" disabled>until…</option>
        <option value="evening">this evening</option>
        <option value="tomorrow">tomorrow morning</option>
        <option value="week">in a week</option>
      </select>
    </li>
  {/if}
</ul>
{#if fault}<div class="mt-3"><Notice tone="wrong">{fault}</Notice></div>{/if}
<p class="mt-3 text-sm text-mute">It closes by itself when its cause goes.</p>
