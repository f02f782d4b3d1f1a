<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import Keep from './Keep.svelte';
  import Paying from './Paying.svelte';
  import { presentClock } from './settings';
  import Ticket from './Ticket.svelte';

  /** A client's own booking, where it can be cancelled. */
  let { token }: { token: string } = $props();

  let booked = $state<Shape<'Booked'>>();
  let fault = $state('');
  /** What the address asks for; nothing is done before a button is pressed. */
  const wish = new URLSearchParams(location.search).get('do');
  let asking = $state(wish === 'cancel');
  let busy = $state(false);
  const params = $derived({ params: { path: { token }, query: { clock: presentClock() } } });

  async function run(call: () => Promise<Shape<'Booked'>>) {
    busy = true;
    try {
      booked = await call();
      [fault, asking] = ['', false];
    } catch (cause) {
      fault = problemOf(cause).message;
    } finally {
      busy = false;
    }
  }
  let looked = false;
  $effect(
    () =>
      void run(async () => {
        const got = await data(api.GET('/api/my-bookings/{token}', params));
        if (!looked && wish === 'move' && got.canMove)
          location.replace(`${got.page}?moving=${encodeURIComponent(token)}`);
        return got;
      }).then(() => {
        if (!looked) asking = wish === 'cancel';
        looked = true;
      }),
  );
  const cancel = () => run(() => data(api.POST('/api/my-bookings/{token}/cancel', params)));
</script>

<svelte:head><title>Your booking</title></svelte:head>

<main class="mx-auto grid w-full max-w-lg grid-cols-[minmax(0,1fr)] gap-4 px-4 py-8">
  {#if booked}
    <h1 class="text-2xl">
      {{
        cancelled: 'Cancelled',
        pending: 'Asked for',
        held: 'Held for you, to be paid',
        lapsed: 'Not booked',
        confirmed: 'Your booking',
      }[booked.status]}
    </h1>
    {#if booked.status === 'cancelled'}
      <Notice>This visit will not take place. The time is free again.</Notice>
    {:else if booked.status === 'pending'}
      <Notice
        >The time is held for you. {booked.business}
        {booked.answerBy
          ? `answers until ${booked.answerBy}; if not, it is let go and you are told`
          : 'confirms it'}.</Notice
      >
    {/if}
    <Paying bind:booked={() => booked as Shape<'Booked'>, (b) => (booked = b)} />
    <div class:opacity-60={booked.status === 'cancelled' || booked.status === 'lapsed'}>
      <Ticket {booked} />
    </div>
    {#if booked.bring}<p class="whitespace-pre-line"><b>To bring or prepare:</b> {booked.bring}</p>{/if}
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if booked.canCancel || booked.canMove}
      {#if asking && booked.canCancel}
        <p>The time goes back to others at once.</p>
        <div class="flex gap-2">
          <button class="btn btn-error grow" disabled={busy} onclick={cancel}>Cancel the visit</button>
          <button class="btn" onclick={() => (asking = false)}>Keep it</button>
        </div>
      {:else}
        <div class="flex flex-wrap gap-2">
          {#if booked.canMove}
            <a class="btn btn-secondary" href="{booked.page}?moving={encodeURIComponent(token)}"
              >Move to another time</a
            >
          {/if}
          {#if booked.canCancel}<button class="btn" onclick={() => (asking = true)}>Cancel the visit…</button
            >{/if}
        </div>
      {/if}
    {/if}
    {#if booked.limits}<p class="text-mute">{booked.limits}</p>{/if}
    {#if booked.status === 'confirmed'}<Keep {booked} />{/if}
    <a class="link-plain justify-self-start" href={booked.page}>Book another time</a>
  {:else if fault}
    <h1 class="text-2xl">This booking cannot be shown</h1>
    <Notice tone="wrong">{fault}</Notice>
  {/if}
</main>
