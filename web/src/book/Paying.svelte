<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import { presentClock } from './settings';

  /** A visit that is held while its client pays. It looks whether that has happened. */
  let { booked = $bindable() }: { booked: Shape<'Booked'> } = $props();

  const token = $derived(decodeURIComponent(booked.manage.replace('/booking/', '')));
  const framed = window !== window.parent;
  let lost = $state(false);
  async function look() {
    try {
      const params = { path: { token }, query: { clock: presentClock() } };
      booked = await data(api.GET('/api/my-bookings/{token}', { params }));
      lost = false;
    } catch {
      lost = true;
    }
  }
  $effect(() => {
    // Whoever is told that something follows here sees it come.
    if (booked.status !== 'held' && !booked.soon) return;
    const timer = setInterval(() => void look(), 2500);
    const again = () => document.visibilityState === 'visible' && void look();
    document.addEventListener('visibilitychange', again);
    return () => {
      clearInterval(timer);
      document.removeEventListener('visibilitychange', again);
    };
  });
  async function letGo() {
    await api.POST('/api/my-bookings/{token}/cancel', { params: { path: { token } } });
    await look();
  }
</script>

{#if booked.status === 'held' && booked.pay}
  <div class="sheet grid gap-3 p-5">
    <p>
      The time is held for you until <b>{booked.pay.until}</b>. The visit stands once {booked.pay.amount} is paid.
    </p>
    <div class="flex flex-wrap gap-2">
      <a
        class="btn btn-accent grow"
        href={booked.pay.at}
        target={framed ? '_blank' : undefined}
        rel={framed ? 'opener' : undefined}>Pay {booked.pay.amount}</a
      >
      <button type="button" class="btn" onclick={() => void letGo()}>Let the time go</button>
    </div>
    <p class="text-sm text-mute" role="status">
      {lost
        ? 'It cannot be seen at present whether it is paid. This page goes on looking.'
        : 'This page sees by itself when it is paid.'}
    </p>
  </div>
{:else if booked.status === 'lapsed'}
  <Notice
    >{booked.pay?.back ||
      'It was not paid in time, so that the time is free again. Nothing was booked.'}</Notice
  >
{:else if booked.pay?.back}
  <p>{booked.pay.back}</p>
{/if}
