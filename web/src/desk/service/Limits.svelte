<script lang="ts">
  import { readLength, writeLength } from '$lib/ui/typed';
  import type { Fault, Fields } from './form';
  import Inline from './Inline.svelte';
  import InlineChoice from './InlineChoice.svelte';
  import InlineLength from './InlineLength.svelte';
  import InlineNumber from './InlineNumber.svelte';

  /** What clients may do by themselves after they have chosen a time. */
  let { form = $bindable(), fault }: { form: Fields; fault: Fault } = $props();

  const day = readLength('1 day') ?? 1440;
  const before = (minutes: number | undefined) =>
    minutes ? `until ${writeLength(minutes)} before it` : 'until it begins';
  const times = $derived.by((): 'any' | 'never' | 'some' => {
    const n = form.moveTimes ?? 0;
    return n < 0 ? 'never' : n ? 'some' : 'any';
  });
  const sentence = $derived(
    `${form.approveWithin ? `A request is held, and let go if nobody answers within ${writeLength(form.approveWithin)}.` : 'A booking stands at once.'} Clients ${
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
</fieldset>
