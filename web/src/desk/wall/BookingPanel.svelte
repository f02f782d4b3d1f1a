<script lang="ts">
  import { X } from '@lucide/svelte';
  import { api, problemOf, type Shape } from '$lib/api/client';
  import { copyWords, type CopyState } from '$lib/lane/lane';
  import Notice from '$lib/ui/Notice.svelte';

  let {
    visit,
    staff,
    title,
    onclose,
  }: { visit: Shape<'WallVisit'>; staff: string; title: string; onclose: () => void } = $props();

  let asking = $state(false);
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
      asking = false;
    }
  }
  const path = $derived({ params: { path: { id: visit.id } } });
  const cancel = () => act(api.POST('/api/bookings/{id}/cancel', path), true);
  const decide = (accept: boolean) =>
    act(api.POST('/api/bookings/{id}/decision', { ...path, body: { accept } }), !accept);
</script>

<aside class="w-80 flex-none border-l border-edge bg-base-100 p-4" aria-label="Booking">
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
    <dt class="text-mute">Reference</dt>
    <dd>{visit.reference}</dd>
    <dt class="text-mute">Mail</dt>
    <dd class="break-words">{visit.mail}</dd>
    <dt class="text-mute">Status</dt>
    <dd>{visit.status === 'pending' ? 'waits for your decision' : visit.status}</dd>
    <dt class="text-mute">Outside</dt>
    <dd>{copyWords[visit.copy as CopyState]}{visit.copyNote ? `: ${visit.copyNote}` : ''}</dd>
  </dl>
  <div class="mt-4 grid gap-2">
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if visit.status === 'pending'}
      <Notice>A calendar could not be read when this was booked.</Notice>
      <button class="btn btn-primary" disabled={busy} onclick={() => decide(true)}>Confirm the booking</button
      >
      <button class="btn" disabled={busy} onclick={() => decide(false)}>Decline it</button>
    {:else if asking}
      <Notice>The time is free at once, and the copy is removed from the outside calendar.</Notice>
      <div class="flex gap-2">
        <button class="btn btn-error grow" disabled={busy} onclick={cancel}>Cancel the booking</button>
        <button class="btn" onclick={() => (asking = false)}>Keep it</button>
      </div>
    {:else}
      <button class="btn" onclick={() => (asking = true)}>Cancel this booking…</button>
    {/if}
  </div>
</aside>
