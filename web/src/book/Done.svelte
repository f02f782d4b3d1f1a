<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import Keep from './Keep.svelte';
  import Paying from './Paying.svelte';
  import Ticket from './Ticket.svelte';

  /** What a client sees once it is booked, or held until it is paid. */
  let {
    booked = $bindable(),
    moving,
    onagain,
  }: { booked: Shape<'Booked'>; moving: boolean; onagain: () => void } = $props();
</script>

<div class="mx-auto grid w-full max-w-lg grid-cols-[minmax(0,1fr)] gap-4">
  <div role="status">
    <h2 class="text-2xl text-balance break-words">
      {{
        pending: 'Held for you, to be confirmed',
        held: 'Held for you, to be paid',
        lapsed: 'Not booked',
        cancelled: 'Cancelled',
        confirmed: moving ? 'Moved' : booked.done || 'Booked',
      }[booked.status]}
    </h2>
  </div>
  {#if booked.thanks}<p class="whitespace-pre-line">{booked.thanks}</p>{/if}
  <Paying bind:booked />
  <div class:opacity-60={booked.status === 'lapsed'}><Ticket {booked} /></div>
  {#if booked.bring}<p class="whitespace-pre-line"><b>To bring or prepare:</b> {booked.bring}</p>{/if}
  {#if booked.status === 'confirmed'}<Keep {booked} />
  {:else if booked.answerBy}<p>
      {booked.business} answers until {booked.answerBy}; if not, the time is let go, and you are told.
    </p>{/if}
  {#if booked.status !== 'lapsed'}<p>
      Keep this address. The booking can be seen, moved and cancelled there:<br />
      <a class="link-plain break-all" href={booked.manage}>{location.origin}{booked.manage}</a>
    </p>{/if}
  <button class="btn justify-self-start" onclick={onagain}>Book another visit</button>
</div>
