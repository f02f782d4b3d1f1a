<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { api, problemOf, type Shape } from '$lib/api/client';
  import Drifts from '$lib/links/Drifts.svelte';
  import { copyWords } from '$lib/lane/lane';
  import Notice from '$lib/ui/Notice.svelte';
  import Sold from './Sold.svelte';

  let {
    visit,
    staff,
    title,
    onclose,
  }: { visit: Shape<'WallVisit'>; staff: string; title: string; onclose: () => void } = $props();

  /** The booking that is about to be cancelled. */
  let asking = $state(0);
  let busy = $state(false);
  let fault = $state('');

  async function act(call: Promise<unknown>, close = false) {
    busy = true;
    fault = '';
    try {
      await call;
      if (close) onclose();
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
      asking = 0;
    }
  }
  type Client = Shape<'WallClient'>;
  const path = (c: Client) => ({ params: { path: { id: c.id } } });
  const cancel = (c: Client) =>
    act(api.POST('/api/bookings/{id}/cancel', path(c)), visit.clients.length === 1);
  const decide = (c: Client, accept: boolean) =>
    act(api.POST('/api/bookings/{id}/decision', { ...path(c), body: { accept } }), !accept);
  /** Whether what stands outside is not what was booked, or nobody knows. */
  const strayed = $derived(['doubted', 'adrift', 'failed'].includes(visit.copy));
  const shared = $derived(visit.client !== visit.clients[0]?.name);
</script>

<aside class="aside w-80 flex-none border-l border-edge bg-base-100 p-4" aria-label="Booking">
  <div class="follow">
    <div class="flex items-start justify-between gap-2">
      <p class="text-sm text-mute">{title}</p>
      <button class="btn btn-ghost btn-xs btn-square" aria-label="Close" onclick={onclose}
        ><X size={16} /></button
      >
    </div>
    <h2 class="text-xl">{visit.client}</h2>
    <p class="font-semibold">{visit.label} with {staff}</p>
    <dl class="mt-3 grid grid-cols-[6.5rem_1fr] gap-x-2 gap-y-1.5 border-t border-base-300 pt-3 text-sm">
      <dt class="text-mute">Service</dt>
      <dd>{visit.service}</dd>
      <dt class="text-mute">With buffers</dt>
      <dd>{visit.occupied.label}</dd>
      {#if visit.with.length}
        <dt class="text-mute">Also</dt>
        <dd>{visit.with.join(', ')}</dd>
      {/if}
      {#if visit.picked}
        <dt class="text-mute">Picked</dt>
        <dd>{visit.picked}</dd>
      {/if}
      <dt class="text-mute">Outside</dt>
      <dd>
        {#if strayed}<b class="text-brick">{copyWords[visit.copy]}</b>{:else}{copyWords[visit.copy]}{/if}
      </dd>
    </dl>
    {#if visit.drifts.length}
      <div class="mt-3 grid gap-2">
        <Drifts
          drifts={visit.drifts}
          settle={(id, holds) =>
            api.POST('/api/copies/{id}/settle', { params: { path: { id } }, body: { holds } })}
        />
      </div>
    {:else if visit.copyNote}<div class="mt-3"><Notice>{visit.copyNote}</Notice></div>{/if}
    {#if visit.extra}<p class="mt-2 text-sm text-mute">{visit.extra}</p>{/if}
    {#if visit.copy !== 'none' && !visit.drifts.length}
      <button
        type="button"
        class="link-plain mt-2 text-sm"
        disabled={busy}
        onclick={() => void act(api.POST('/api/visits/{id}/copies', { params: { path: { id: visit.id } } }))}
        >Write it outside again</button
      >
    {/if}
    {#if visit.clash}
      <div class="mt-3">
        <Notice tone="wrong">
          {visit.clash} Cancel the booking, let the client move it, or leave both: this mark goes as soon as they
          no longer meet.
        </Notice>
      </div>
    {/if}
    {#if fault}<div class="mt-3"><Notice tone="wrong">{fault}</Notice></div>{/if}
    <ul class="mt-3 grid gap-3">
      {#each visit.clients as c (c.id)}
        <li class="grid gap-1 border-t border-base-300 pt-3 text-sm">
          {#if shared}<b>{c.name}{c.places > 1 ? `, ${c.places} places` : ''}</b>{/if}
          <span>Reference <a class="link-plain" href="/bookings/{c.id}">{c.reference}</a></span>
          <span class="break-words text-mute">{c.mail}</span>
          {#if c.answer}<span class={c.comes ? 'text-mute' : 'font-semibold text-brick'}
              >answered: {c.answer}</span
            >{/if}
          <Sold booking={c.id} />
          {#if c.status === 'pending'}
            <Notice>It waits for you: a calendar could not be read when it was booked.</Notice>
            <div class="flex gap-2">
              <button class="btn btn-primary btn-sm grow" disabled={busy} onclick={() => decide(c, true)}
                >Confirm</button
              >
              <button class="btn btn-sm grow" disabled={busy} onclick={() => decide(c, false)}>Decline</button
              >
            </div>
          {:else if asking === c.id}
            <Notice>The time is free at once, and the copy outside is put right.</Notice>
            <div class="flex gap-2">
              <button class="btn btn-error btn-sm grow" disabled={busy} onclick={() => cancel(c)}
                >Cancel the booking</button
              >
              <button class="btn btn-sm" onclick={() => (asking = 0)}>Keep it</button>
            </div>
          {:else}
            <button class="btn btn-sm justify-self-start" onclick={() => (asking = c.id)}
              >Cancel this booking…</button
            >
          {/if}
        </li>
      {/each}
    </ul>
  </div>
</aside>
