<script lang="ts">
  import ChoiceField from '$lib/ui/ChoiceField.svelte';
  import Field from '$lib/ui/Field.svelte';
  import NumberField from '$lib/ui/NumberField.svelte';
  import { readLengths, type Fault, type Form } from './form';

  /** The rules of time. */
  let { form = $bindable(), fault }: { form: Form; fault: Fault } = $props();
</script>

<fieldset class="sheet grid gap-4 p-5 md:grid-cols-3">
  <legend class="sr-only">Time</legend>
  <NumberField label="Lasts, minutes" min={5} step={5} bind:value={form.length} error={fault('length')} />
  <Field label="Further lengths" hint="As in 45, 60. The client chooses." error={fault('lengths')}>
    {#snippet children(tie)}
      <input
        class="input w-full"
        value={form.lengths.join(', ')}
        onchange={(e) => (form.lengths = readLengths(e.currentTarget.value))}
        {...tie}
      />
    {/snippet}
  </Field>
  <NumberField
    label="Places"
    hint="Clients who can share one visit."
    min={1}
    bind:value={form.places}
    error={fault('places')}
  />

  <NumberField
    label="Can start every, minutes"
    min={5}
    step={5}
    bind:value={form.step}
    error={fault('step')}
  />
  <ChoiceField
    label="Counted"
    bind:value={form.anchor}
    of={[
      ['clock', 'on the clock'],
      ['opening', 'from opening'],
    ]}
  />
  <NumberField
    label="Cap"
    hint="Visits a day for each person; empty for none."
    optional
    bind:value={form.capPerDay}
    error={fault('capPerDay')}
  />

  <NumberField
    label="Buffer before, minutes"
    step={5}
    bind:value={form.bufferBefore}
    error={fault('bufferBefore')}
  />
  <NumberField
    label="Buffer after, minutes"
    step={5}
    bind:value={form.bufferAfter}
    error={fault('bufferAfter')}
  />
  <ChoiceField
    label="Buffers"
    bind:value={form.buffersInsideHours}
    of={[
      [false, 'may lie outside hours'],
      [true, 'stay inside hours'],
    ]}
  />

  <ChoiceField
    label="Notice"
    bind:value={form.noticeKind}
    of={[
      ['none', 'none is asked'],
      ['minutes', 'so long before'],
      ['day', 'by a time, days before'],
    ]}
  />
  {#if form.noticeKind === 'minutes'}
    <NumberField label="Notice, minutes" step={30} bind:value={form.notice} error={fault('notice')} />
    <span class="hidden md:block"></span>
  {:else if form.noticeKind === 'day'}
    <NumberField label="Days before" bind:value={form.noticeDays} error={fault('noticeDays')} />
    <Field label="By" hint="As in 18:00" error={fault('noticeBy')}>
      {#snippet children(tie)}<input class="input w-full" bind:value={form.noticeBy} {...tie} />{/snippet}
    </Field>
  {:else}
    <span class="hidden md:col-span-2 md:block"></span>
  {/if}

  <ChoiceField
    label="Booking window"
    bind:value={form.windowKind}
    of={[
      ['days', 'so many days ahead'],
      ['dates', 'between two dates'],
      ['none', 'no end'],
    ]}
  />
  {#if form.windowKind === 'days'}
    <NumberField label="Booking window, days" bind:value={form.windowDays} error={fault('windowDays')} />
  {:else if form.windowKind === 'dates'}
    <div class="grid grid-cols-2 gap-2">
      <Field label="First day" error={fault('windowFrom')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="date"
            bind:value={form.windowFrom}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Last day" error={fault('windowTo')}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="date"
            bind:value={form.windowTo}
            {...tie}
          />{/snippet}
      </Field>
    </div>
  {:else}
    <span class="hidden md:block"></span>
  {/if}
  <ChoiceField
    label="If a calendar cannot be read"
    bind:value={form.unreachable}
    of={[
      ['take', 'take the booking'],
      ['ask', 'ask the administrator'],
      ['refuse', 'refuse the booking'],
    ]}
  />
</fieldset>
