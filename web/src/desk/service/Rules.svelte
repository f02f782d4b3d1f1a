<script lang="ts">
  import DateInput from '$lib/ui/DateInput.svelte';
  import { writeLength } from '$lib/ui/typed';
  import { noticeKind, notices, readLengths, windowKind, windows, type Fault, type Fields } from './form';
  import Inline from './Inline.svelte';
  import InlineChoice from './InlineChoice.svelte';
  import InlineLength from './InlineLength.svelte';
  import InlineNumber from './InlineNumber.svelte';

  /** The rules of time, as sentences with fields in them. */
  let { form = $bindable(), fault }: { form: Fields; fault: Fault } = $props();

  const sentence = $derived.by(() => {
    const [before, after] = [form.bufferBefore, form.bufferAfter];
    const around =
      before && after && before === after
        ? `with ${writeLength(before)} free before and after`
        : [before && `${writeLength(before)} free before`, after && `${writeLength(after)} free after`]
            .filter(Boolean)
            .join(' and ');
    const buffers = around
      ? `, ${around.startsWith('with') ? around : `with ${around}`}`
      : ', with nothing kept free around it';
    const cap =
      form.capPerDay === undefined
        ? ''
        : `; at most ${form.capPerDay === 1 ? 'one visit' : `${form.capPerDay} visits`} a day each`;
    return `It can start every ${writeLength(form.step)} ${form.anchor === 'clock' ? 'on the clock' : 'from opening'}${buffers}${cap}.`;
  });
  const first = (...fields: string[]) => fields.map(fault).find(Boolean) ?? '';
</script>

<fieldset class="sheet px-5 pb-3">
  <legend class="sr-only">Rules</legend>
  <p class="pt-4 pb-2"><b>Rules.</b> {sentence}</p>
  <Inline title="The visit" error={first('length', 'lengths', 'step')}>
    lasts
    <InlineLength label="Lasts" bind:value={form.length} error={fault('length')} />
    <span class="whitespace-nowrap"
      >or <input
        class="input input-sm w-34 px-2 text-center font-semibold"
        aria-label="Further lengths"
        placeholder="nothing else"
        value={form.lengths.map(writeLength).join(', ')}
        onchange={(e) => (form.lengths = readLengths(e.currentTarget.value))}
      /> by choice;</span
    >
    <span class="whitespace-nowrap"
      >it starts every <InlineLength label="Can start every" bind:value={form.step} error={fault('step')} />
      <InlineChoice
        label="Counted"
        bind:value={form.anchor}
        of={[
          ['clock', 'on the clock'],
          ['opening', 'from opening'],
        ]}
      /></span
    >
  </Inline>
  <Inline title="Buffers" error={first('bufferBefore', 'bufferAfter')}>
    <span class="whitespace-nowrap"
      >keep <InlineLength
        label="Buffer before"
        bind:value={form.bufferBefore}
        error={fault('bufferBefore')}
      /> before</span
    >
    <span class="whitespace-nowrap"
      >and <InlineLength label="Buffer after" bind:value={form.bufferAfter} error={fault('bufferAfter')} /> after,</span
    >
    <span class="whitespace-nowrap"
      >which <InlineChoice
        label="Buffers"
        bind:value={form.buffersInsideHours}
        of={[
          [false, 'may lie outside hours'],
          [true, 'stay inside hours'],
        ]}
      /></span
    >
  </Inline>
  <Inline title="Notice" error={first('notice', 'notice.minutes', 'notice.daysBefore', 'notice.by')}>
    <InlineChoice
      label="Notice"
      bind:value={() => noticeKind(form.notice), (kind) => (form.notice = structuredClone(notices[kind]))}
      of={[
        ['none', 'until it starts'],
        ['minutes', 'at the latest'],
        ['day', 'by a time of day,'],
      ]}
    />
    {#if form.notice && 'minutes' in form.notice}
      <span class="whitespace-nowrap"
        ><InlineLength
          label="How long before"
          bind:value={form.notice.minutes}
          error={fault('notice.minutes')}
        /> before it starts</span
      >
    {:else if form.notice}
      <span class="whitespace-nowrap"
        ><InlineNumber
          label="Days before"
          bind:value={form.notice.daysBefore}
          error={fault('notice.daysBefore')}
        />
        {form.notice.daysBefore === 1 ? 'day' : 'days'} before, until
        <input
          class="input input-sm w-20 px-2 text-center font-semibold"
          class:input-error={fault('notice.by')}
          aria-invalid={fault('notice.by') ? 'true' : undefined}
          aria-label="By"
          placeholder="18:00"
          bind:value={form.notice.by}
        /></span
      >
    {/if}
  </Inline>
  <Inline title="Booking window" error={first('window', 'window.days', 'window.from', 'window.to')}>
    <InlineChoice
      label="Booking window"
      bind:value={() => windowKind(form.window), (kind) => (form.window = structuredClone(windows[kind]))}
      of={[
        ['days', 'ahead by at most'],
        ['dates', 'from a date to another'],
        ['none', 'up to a year ahead'],
      ]}
    />
    {#if form.window && 'days' in form.window}
      <span class="whitespace-nowrap"
        ><InlineNumber
          label="Booking window, days"
          bind:value={form.window.days}
          error={fault('window.days')}
        />
        {form.window.days === 1 ? 'day' : 'days'}</span
      >
    {:else if form.window}
      {@const dates = form.window}
      <DateInput
        small
        class="w-36"
        aria-label="First day"
        bind:value={() => dates.from ?? '', (date) => (dates.from = date)}
      />
      <span class="whitespace-nowrap"
        >to <DateInput
          small
          class="w-36"
          aria-label="Last day"
          bind:value={() => dates.to ?? '', (date) => (dates.to = date)}
        /></span
      >
    {/if}
  </Inline>
  <Inline
    title="Caps"
    error={first('capPerDay', 'places')}
    hint="Only bookings count, never personal events. An empty field is no cap."
  >
    <span class="whitespace-nowrap"
      >at most <InlineNumber label="Cap" optional bind:value={form.capPerDay} error={fault('capPerDay')} /> visits
      a day each,</span
    >
    <span class="whitespace-nowrap"
      ><InlineNumber label="Places" min={1} bind:value={form.places} error={fault('places')} />
      {form.places === 1 ? 'place' : 'places'} in each visit</span
    >
  </Inline>
  <Inline title="If a calendar cannot be read">
    when it is booked,
    <InlineChoice
      label="If a calendar cannot be read"
      bind:value={form.unreachable}
      of={[
        ['take', 'take the booking'],
        ['ask', 'ask the administrator'],
        ['refuse', 'refuse the booking'],
      ]}
    />
  </Inline>
</fieldset>
