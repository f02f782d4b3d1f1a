<script lang="ts">
  import { api, problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import { session } from '../session.svelte';

  /** What the client of a booking was told, and will be. */
  let { booking, list, ahead }: { booking: number; list: Shape<'ShownMessage'>[]; ahead: boolean } = $props();

  const said: Record<Shape<'ShownMessage'>['state'], string> = {
    waiting: 'waits to go out',
    sent: 'sent',
    refused: 'not delivered',
    overtaken: 'not needed any more',
    'held back': 'not this time',
  };
  const stands = (m: Shape<'ShownMessage'>) =>
    m.later && m.state === 'waiting' ? 'goes out' : said[m.state];
  let fault = $state('');
  async function hold(m: Shape<'ShownMessage'>, heldBack: boolean) {
    fault = '';
    try {
      await api.PUT('/api/bookings/{id}/messages/{message}', {
        params: { path: { id: booking, message: m.id } },
        body: { heldBack },
      });
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
</script>

<section class="sheet px-4 py-3">
  <h2 class="text-base font-bold">Messages to the client</h2>
  {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
  <ul class="mt-1 divide-y divide-base-300 border-t border-base-300">
    {#each list as m (m.id)}
      <li class="grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 py-2">
        <b
          class="truncate"
          class:font-normal={m.state === 'overtaken'}
          class:text-mute={m.state === 'overtaken'}>{m.name}</b
        >
        <span
          class="text-right text-sm whitespace-nowrap"
          class:text-moss={m.state === 'sent'}
          class:text-brick={m.state === 'refused'}
          class:text-mute={m.state === 'overtaken' || m.state === 'held back'}>{stands(m)}</span
        >
        <span class="text-sm text-mute"
          >{m.when}{m.said ? `: “${m.said}”` : ''}{m.reason ? `. ${m.reason}` : ''}</span
        >
        {#if m.later}
          <button
            type="button"
            class="link-plain justify-self-end text-sm"
            onclick={() => void hold(m, m.state === 'waiting')}
            >{m.state === 'waiting' ? 'not this time' : 'send it after all'}</button
          >
        {/if}
      </li>
    {:else}
      <li class="py-2 text-mute">
        {#if !session.now?.mailReady}No mail goes out yet.
          <a class="link-plain" href="/settings#mail">Set up the mail server</a>{:else if ahead}Nothing was
          sent.{:else}Nothing was sent.{/if}
      </li>
    {/each}
  </ul>
</section>
