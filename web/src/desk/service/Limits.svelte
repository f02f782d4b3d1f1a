<script lang="ts">
  import { readLength, writeLength } from '$lib/ui/typed';
  import type { Shape } from '$lib/api/client';
  import type { Fault, Fields } from './form';
  import Inline from './Inline.svelte';
  import InlineChoice from './InlineChoice.svelte';
  import InlineLength from './InlineLength.svelte';
  import InlineNumber from './InlineNumber.svelte';

  /** What clients may do by themselves after they have chosen a time. */
  let {
    form = $bindable(),
    fault,
    currency,
    gateways,
  }: {
    form: Fields;
    fault: Fault;
    /** Of what clients pay. */
    currency: string;
    gateways: Shape<'GatewayNow'>[] | undefined;
  } = $props();

  const payable = $derived(!gateways || gateways.some((g) => g.kind === 'payments' && g.address));
  const digits = $derived(
    new Intl.NumberFormat('en-GB', { style: 'currency', currency }).resolvedOptions().maximumFractionDigits ??
      2,
  );
  const money = (amount: number) =>
    new Intl.NumberFormat('en-GB', { style: 'currency', currency }).format(amount / 10 ** digits);
  const back = $derived.by((): 'any' | 'never' | 'some' => {
    const until = form.refundUntil ?? 0;
    return until < 0 ? 'never' : until ? 'some' : 'any';
  });

  const day = readLength('1 day') ?? 1440;
  const before = (minutes: number | undefined) =>
    minutes ? `until ${writeLength(minutes)} before it` : 'until it begins';
  const times = $derived.by((): 'any' | 'never' | 'some' => {
    const n = form.moveTimes ?? 0;
    return n < 0 ? 'never' : n ? 'some' : 'any';
  });
  const sentence = $derived(
    `${form.prepaid ? `${money(form.prepaid)} is paid before it stands. ` : ''}${form.approveWithin ? `A request is held, and let go if nobody answers within ${writeLength(form.approveWithin)}.` : 'A booking stands at once.'} Clients ${
      times === 'never'
        ? 'cannot move it'
        : `move it ${before(form.moveUntil)}${times === 'some' ? `, ${form.moveTimes === 1 ? 'once' : `${form.moveTimes} times`}` : ''}`
    }, and cancel it ${before(form.cancelUntil)}.`,
  );
</script>

<fieldset class="sheet px-5 pt-4 pb-3">
  <legend class="sr-only">After it is booked</legend>
  <p class="pb-2"><b>After it is booked.</b> {sentence}</p>
  <Inline title="Approval" error={fault('approveWithin')}>
    <InlineChoice
      label="Approval"
      bind:value={
        () => (form.approveWithin ? 'asked' : 'once'),
        (kind) => (form.approveWithin = kind === 'asked' ? day : 0)
      }
      of={[
        ['once', 'it is confirmed at once'],
        ['asked', 'somebody answers each request'],
      ]}
    />
    {#if form.approveWithin}
      <span class="whitespace-nowrap"
        >within <InlineLength
          label="Answered within"
          bind:value={() => form.approveWithin ?? 0, (m) => (form.approveWithin = m)}
          error={fault('approveWithin')}
        />, or it is let go</span
      >
    {/if}
  </Inline>
  <Inline title="Payment" error={fault('prepaid') || fault('refundUntil')}>
    <InlineChoice
      label="Payment"
      bind:value={
        () => (form.prepaid ? 'before' : 'none'),
        (kind) => (form.prepaid = kind === 'before' ? 50 * 10 ** digits : 0)
      }
      of={[
        ['none', 'nothing is paid here'],
        ['before', 'it is paid before it stands:'],
      ]}
    />
    {#if form.prepaid}
      <span class="whitespace-nowrap"
        ><InlineNumber
          label="Price"
          step={0.01}
          bind:value={
            () => (form.prepaid ?? 0) / 10 ** digits,
            (n) => (form.prepaid = Math.round((n ?? 0) * 10 ** digits))
          }
          error={fault('prepaid')}
        />
        {currency}{form.places > 1 ? ' a place' : ''}.</span
      >
      Who cancels
      <InlineChoice
        label="Money back"
        bind:value={
          () => back, (kind) => (form.refundUntil = kind === 'any' ? 0 : kind === 'never' ? -1 : day)
        }
        of={[
          ['any', 'has it back'],
          ['some', 'has it back until'],
          ['never', 'does not have it back'],
        ]}
      />
      {#if back === 'some'}
        <span class="whitespace-nowrap"
          ><InlineLength
            label="Money back until"
            bind:value={() => form.refundUntil ?? 0, (m) => (form.refundUntil = m)}
            error={fault('refundUntil')}
          /> before</span
        >
      {/if}
    {/if}
  </Inline>
  {#if form.prepaid && !payable}
    <p class="pb-2 text-sm font-medium text-brick" role="alert">
      No payment host is set up, so that nobody could book it.
      <a class="link-plain" href="/settings#outside">Set one up.</a>
    </p>
  {/if}
  <Inline title="Moving" error={fault('moveUntil') || fault('moveTimes')}>
    <InlineChoice
      label="Moved by clients"
      bind:value={
        () => times,
        (kind) =>
          (form.moveTimes = kind === 'any' ? 0 : kind === 'never' ? -1 : Math.max(1, form.moveTimes ?? 1))
      }
      of={[
        ['any', 'as often as they like,'],
        ['some', 'at most'],
        ['never', 'not by themselves'],
      ]}
    />
    {#if times === 'some'}
      <span class="whitespace-nowrap"
        ><InlineNumber
          label="How often"
          bind:value={() => form.moveTimes ?? 1, (n) => (form.moveTimes = n)}
          error={fault('moveTimes')}
        />
        {form.moveTimes === 1 ? 'time' : 'times'},</span
      >
    {/if}
    {#if times !== 'never'}
      <span class="whitespace-nowrap"
        >until <InlineLength
          label="Moved until"
          bind:value={() => form.moveUntil ?? 0, (m) => (form.moveUntil = m)}
          error={fault('moveUntil')}
        /> before</span
      >
    {/if}
  </Inline>
  <Inline title="Cancelling" error={fault('cancelUntil')}>
    <span class="whitespace-nowrap"
      >until <InlineLength
        label="Cancelled until"
        bind:value={() => form.cancelUntil ?? 0, (m) => (form.cancelUntil = m)}
        error={fault('cancelUntil')}
      /> before</span
    >
  </Inline>
  {#if !form.messages?.noInvite}
    <Inline title="Not coming">
      <InlineChoice
        label="A client who answers that they do not come"
        bind:value={() => form.cancelDeclined ?? false, (on) => (form.cancelDeclined = on)}
        of={[
          [false, 'is listed in Attention, and stays booked'],
          [true, 'has cancelled, as long as they may'],
        ]}
      />
    </Inline>
  {/if}
</fieldset>
