<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import type { Fault, Fields } from './form';
  import Inline from './Inline.svelte';
  import InlineChoice from './InlineChoice.svelte';

  /** Where the visits take place, and what follows from it for clients. */
  let {
    form = $bindable(),
    fault,
    gateways,
  }: {
    form: Fields;
    fault: Fault;
    /** The small services outside, once they are known. */
    gateways: Shape<'GatewayNow'>[] | undefined;
  } = $props();

  const hosted = $derived(!gateways || gateways.some((g) => g.kind === 'rooms' && g.address));
  const usual = { ours: '', theirs: 'At your place', telephone: 'By telephone', online: 'Online' };
  const venue = $derived((form.venue ?? 'ours') as keyof typeof usual);
  const sentence = $derived(
    {
      ours: form.room
        ? `Clients come to ${form.place || 'you'}, and are told which ${form.room} it is.`
        : `Clients come to ${form.place || 'you'}.`,
      theirs: 'Clients are asked for their address; whoever goes there has it in mail and calendar.',
      telephone: 'Clients are asked for a number, and are called.',
      online:
        'Each visit has a meeting room of its own, made once it is confirmed, and another when it is handed over.',
    }[venue],
  );
</script>

<fieldset class="sheet px-5 pt-4 pb-3">
  <legend class="sr-only">Where</legend>
  <p class="pb-2"><b>Where.</b> {sentence}</p>
  <Inline title="Place" error={fault('venue') || fault('place')}>
    <InlineChoice
      label="Where visits take place"
      bind:value={() => venue, (v) => (form.venue = v)}
      of={[
        ['ours', 'at ours'],
        ['theirs', 'at the client’s address'],
        ['telephone', 'by telephone'],
        ['online', 'online'],
      ]}
    />
    <label class="flex grow items-center gap-2"
      ><span class="whitespace-nowrap">{venue === 'ours' ? 'at' : 'called'}</span>
      <input
        class="input input-sm min-w-32 grow font-semibold"
        aria-label="Place, as clients read it"
        maxlength="200"
        placeholder={usual[venue] || 'as clients read it'}
        bind:value={form.place}
      /></label
    >
  </Inline>
  {#if venue === 'ours' && form.needs.length}
    <Inline title="Room" error={fault('room')}>
      <InlineChoice
        label="The room that clients are told"
        bind:value={() => form.room ?? '', (r) => (form.room = r)}
        of={[
          ['', 'clients are not told which'],
          ...form.needs.map((kind): [string, string] => [kind, `clients are told which ${kind}`]),
        ]}
      />
    </Inline>
  {/if}
  {#if venue === 'online' && !hosted}
    <p class="pt-1 text-sm font-medium text-brick" role="alert">
      No meeting host is set up, so that visits have no room.
      <a class="link-plain" href="/settings#outside">Set one up.</a>
    </p>
  {/if}
</fieldset>
