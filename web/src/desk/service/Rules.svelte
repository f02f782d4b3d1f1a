<script lang="ts">
  import { readLengths, type Fault, type Form } from './form';
  import Inline from './Inline.svelte';
  import InlineChoice from './InlineChoice.svelte';
  import InlineNumber from './InlineNumber.svelte';

  /** The rules of time, as sentences with fields in them. */
  let { form = $bindable(), fault }: { form: Form; fault: Fault } = $props();

  const first = (...fields: string[]) => fields.map(fault).find(Boolean) ?? '';
</script>

<fieldset class="sheet px-5 pb-3">
  <legend class="sr-only">Rules</legend>
  <Inline title="The visit" error={first('length', 'lengths', 'step')}>
    lasts
    <InlineNumber label="Lasts, minutes" min={5} step={5} bind:value={form.length} error={fault('length')} />
    min, or
    <input
      class="input input-sm w-24 px-2 text-center font-semibold"
      aria-label="Further lengths"
      placeholder="45, 60"
      value={form.lengths.join(', ')}
      onchange={(e) => (form.lengths = readLengths(e.currentTarget.value))}
    />
    by the client’s choice; it may start every
    <InlineNumber
      label="Can start every, minutes"
      min={5}
      step={5}
      bind:value={form.step}
      error={fault('step')}
    />
    min
    <InlineChoice
      label="Counted"
      bind:value={form.anchor}
      of={[
        ['clock', 'on the clock'],
        ['opening', 'from opening'],
      ]}
    />
  </Inline>
  <Inline title="Buffers" error={first('bufferBefore', 'bufferAfter')}>
    keep
    <InlineNumber
      label="Buffer before, minutes"
      step={5}
      bind:value={form.bufferBefore}
      error={fault('bufferBefore')}
    />
    min before and
    <InlineNumber
      label="Buffer after, minutes"
      step={5}
      bind:value={form.bufferAfter}
      error={fault('bufferAfter')}
    />
    min after, which
    <InlineChoice
      label="Buffers"
      bind:value={form.buffersInsideHours}
      of={[
        [false, 'may lie outside hours'],
        [true, 'stay inside hours'],
      ]}
    />
  </Inline>
  <Inline title="Notice" error={first('notice', 'noticeDays', 'noticeBy')}>
    <InlineChoice
      label="Notice"
      bind:value={form.noticeKind}
      of={[
        ['none', 'none: until it starts'],
        ['minutes', 'so long before'],
        ['day', 'by a time, days before'],
      ]}
    />
    {#if form.noticeKind === 'minutes'}
      :
      <InlineNumber label="Notice, minutes" step={30} bind:value={form.notice} error={fault('notice')} />
      min before it starts
    {:else if form.noticeKind === 'day'}
      :
      <InlineNumber label="Days before" bind:value={form.noticeDays} error={fault('noticeDays')} />
      days before, by
      <input
        class="input input-sm w-20 px-2 text-center font-semibold"
        class:input-error={fault('noticeBy')}
        aria-label="By"
        placeholder="18:00"
        bind:value={form.noticeBy}
      />
    {/if}
  </Inline>
  <Inline title="Booking window" error={first('windowDays', 'windowFrom', 'windowTo')}>
    <InlineChoice
      label="Booking window"
      bind:value={form.windowKind}
      of={[
        ['days', 'so many days ahead'],
        ['dates', 'between two dates'],
        ['none', 'as far ahead as anybody likes'],
      ]}
    />
    {#if form.windowKind === 'days'}
      :
      <InlineNumber label="Booking window, days" bind:value={form.windowDays} error={fault('windowDays')} />
      days
    {:else if form.windowKind === 'dates'}
      :
      <input class="input input-sm w-38" type="date" aria-label="First day" bind:value={form.windowFrom} />
      to
      <input class="input input-sm w-38" type="date" aria-label="Last day" bind:value={form.windowTo} />
    {/if}
  </Inline>
  <Inline
    title="Caps"
    error={first('capPerDay', 'places')}
    hint="Only bookings count, never personal events."
  >
    at most
    <InlineNumber label="Cap" optional bind:value={form.capPerDay} error={fault('capPerDay')} />
    visits a day for each person (empty for no cap),
    <InlineNumber label="Places" min={1} bind:value={form.places} error={fault('places')} />
    {form.places === 1 ? 'place' : 'places'} in each visit
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
