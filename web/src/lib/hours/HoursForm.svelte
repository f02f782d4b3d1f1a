<script lang="ts">
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import { partsOfHours } from '$lib/edit/parts';
  import Hours from '$lib/lane/Hours.svelte';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import CopyDay from './CopyDay.svelte';
  import DayEditor from './DayEditor.svelte';
  import type { HoursEditor } from './editor.svelte';
  import { spanWords, turnOf } from './patterns';
  import SpanFields from './SpanFields.svelte';
  import Timeline from './Timeline.svelte';
  import { dayKeys, dayNames, type Draft } from './week';

  /** The patterns of somebody's hours: drawn, typed, and saved together. */
  let { editor, id, today }: { editor: HoursEditor; id: number; today: string } = $props();

  const { form, drafts, draft, week, present, axis, marks } = $derived(editor);
  const changed = $derived(form.changed);
  const span: Draft = ['09:00', '17:00'];
  const pause: Draft = ['12:30', '13:00'];
</script>

<Timeline {drafts} {today} at={editor.at} onpick={(i) => editor.pick(i)} />
<div class="flex flex-wrap items-center gap-3" role="group" aria-label="Patterns">
  <b>{draft ? spanWords(draft) : ''}{editor.at === present ? ', in force now' : ''}</b>
  <button type="button" class="link-plain text-sm" onclick={() => editor.addPattern()}>add a pattern</button>
  <span class="grow"></span>
  {#if draft && draft.weeks.length > 1}
    {#each draft.weeks as w, i (w)}
      <button
        type="button"
        class="btn btn-sm"
        class:btn-secondary={i === editor.weekAt}
        aria-pressed={i === editor.weekAt}
        onclick={() => (editor.weekAt = i)}
        >Week {i + 1}{editor.at === present && i === turnOf(draft, today) ? ', now' : ''}</button
      >
    {/each}
    <button type="button" class="link-plain text-sm" onclick={() => editor.removeWeek()}
      >remove this week</button
    >
  {/if}
  {#if draft && draft.weeks.length < 8}
    <button type="button" class="link-plain text-sm" onclick={() => editor.addWeek()}>
      {draft.weeks.length > 1 ? 'add a week' : 'alternate weeks'}
    </button>
  {/if}
</div>
<form
  onsubmit={(e) => {
    e.preventDefault();
    void form.save();
  }}
  {@attach editor.watch}
  novalidate
  class="grid grid-cols-[minmax(0,1fr)] gap-3"
>
  <div class="hours">
    <span class="wide"></span>
    <Hours {axis} {marks} />
    <span class="wide text-sm font-semibold text-mute">Hours</span>
    <span class="wide text-sm font-semibold text-mute">Breaks</span>
    {#each dayKeys as key (key)}
      <div class="pt-3 font-bold">
        {dayNames[key]}
        <span class="block"><CopyDay from={key} oncopy={(to) => editor.copy(key, to)} /></span>
      </div>
      <DayEditor
        {axis}
        day={week[key]}
        name={dayNames[key]}
        onchange={(day) => editor.change(key, day)}
        onhold={(holding) => editor.hold(holding)}
      />
      <div class="py-2.5" data-label="Hours">
        <SpanFields
          bind:spans={week[key].spans}
          what="{dayNames[key]} hours"
          faults={editor.faults(key, 'spans')}
          next={span}
          none="closed"
        />
      </div>
      <div class="py-2.5" data-label="Breaks">
        <SpanFields
          bind:spans={week[key].breaks}
          what="{dayNames[key]} breaks"
          faults={editor.faults(key, 'breaks')}
          next={pause}
          none="none"
        />
      </div>
    {/each}
  </div>
  <Outcome {form} parts={partsOfHours} />
  <div class="bottom-0 flex md:sticky flex-wrap items-end gap-4 border-t border-edge bg-page py-3">
    {#if draft}
      <Field label="In force from" error={editor.fault('from')}>
        {#snippet children(tie)}<DateInput bind:value={draft.from} {...tie} />{/snippet}
      </Field>
      <Field label="Until" error={editor.fault('until')}>
        {#snippet children(tie)}<DateInput bind:value={draft.until} {...tie} />{/snippet}
      </Field>
    {/if}
    <button class="btn btn-primary" disabled={!changed || form.busy}>Save the hours</button>
    <button type="button" class="btn" disabled={!changed} onclick={() => form.open(id)}>Discard</button>
    {#if drafts.length > 1}
      <button type="button" class="btn btn-ghost" onclick={() => editor.removePattern()}
        >Remove this pattern</button
      >
    {/if}
    <span class="flex pb-1">
      <button
        type="button"
        class="btn btn-ghost btn-square btn-sm"
        aria-label="Undo"
        title="Undo (Ctrl Z)"
        disabled={!editor.history.canUndo}
        onclick={() => editor.step(-1)}><Undo size={17} /></button
      >
      <button
        type="button"
        class="btn btn-ghost btn-square btn-sm"
        aria-label="Redo"
        title="Redo (Ctrl Shift Z)"
        disabled={!editor.history.canRedo}
        onclick={() => editor.step(1)}><Redo size={17} /></button
      >
    </span>
    <p class="pb-2 text-sm text-mute" role="status">
      {changed ? 'Not saved yet' : form.saved ? 'Saved' : ''}
    </p>
  </div>
</form>

<style>
  .hours {
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr) 192px 192px;
    column-gap: 16px;
    row-gap: 3px;
  }
  /* On a phone a day is a block: its name, its drawing, its fields. */
  @media (max-width: 767px) {
    .hours {
      grid-template-columns: minmax(0, 1fr);
    }
    .wide {
      display: none;
    }
    [data-label] {
      display: grid;
      grid-template-columns: 4.5rem minmax(0, 1fr);
      align-items: baseline;
      padding-block: 0.35rem;
    }
    [data-label]::before {
      content: attr(data-label);
      font-size: 0.875rem;
      color: var(--color-mute);
    }
  }
</style>
