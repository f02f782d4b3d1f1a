<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { follow, query } from '$lib/api/query.svelte';
  import { partsOfDays, partsOfHours } from '$lib/edit/parts';
  import SpanFields from '$lib/hours/SpanFields.svelte';
  import CopyDay from '$lib/hours/CopyDay.svelte';
  import { cityOf, rangeWords } from '$lib/hours/dates';
  import DayEditor from '$lib/hours/DayEditor.svelte';
  import { HoursEditor } from '$lib/hours/editor.svelte';
  import { spanWords, turnOf } from '$lib/hours/patterns';
  import Timeline from '$lib/hours/Timeline.svelte';
  import { writeWork } from '$lib/ui/typed';
  import { dayKeys, dayNames, type Draft } from '$lib/hours/week';
  import Hours from '$lib/lane/Hours.svelte';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import Days from '../person/Days.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { route } from '../router';

  const id = $derived(Number(route.params.id));
  const person = query(() => data(api.GET('/api/staff/{id}', { params: { path: { id } } })));
  const member = $derived(person.value?.id === id ? person.value : undefined);
  const known = $derived(member?.id);
  const today = $derived(member?.today ?? '');

  const editor = new HoursEditor(
    {
      read: (id) => data(api.GET('/api/staff/{id}/hours', { params: { path: { id } } })),
      save: (id, body, version, accept) =>
        data(
          api.PUT('/api/staff/{id}/hours', {
            params: { path: { id }, query: { accept }, header: over(version) },
            body,
          }),
        ),
    },
    () => today,
  );
  const form = editor.form;
  const daysForm = new Form<Shape<'Days'>, Shape<'Days'>, Shape<'DaysNow'>>(
    {
      read: (id) => data(api.GET('/api/staff/{id}/days', { params: { path: { id } } })),
      save: (id, body, version, accept) =>
        data(
          api.PUT('/api/staff/{id}/days', {
            params: { path: { id }, query: { accept }, header: over(version) },
            body,
          }),
        ),
      value: ({ oneOffs, absences }) => ({ oneOffs, absences }),
      body: (days) => days,
    },
    { oneOffs: [], absences: [] },
  );

  const { drafts, draft, week, present, average, axis, marks } = $derived(editor);
  const changed = $derived(form.changed);
  const days = $derived(daysForm.now ?? daysForm.value);

  $effect(() => {
    if (known !== id) return;
    void form.open(id);
    void daysForm.open(id);
  });
  // What others change is shown, unless something here has not been saved.
  follow(() => {
    editor.again();
    void daysForm.again();
  });

  const soon = $derived.by(() => {
    const end = new Date(Date.parse(`${today || '2026-01-01'}T12:00:00Z`) + 42 * 86_400_000)
      .toISOString()
      .slice(0, 10);
    const near = (from: string, until: string) => until >= today && from <= end;
    const away = [
      ...days.absences.filter((a) => near(a.from, a.until)).map((a) => rangeWords(a.from, a.until)),
      ...days.oneOffs
        .filter((o) => !o.spans.length && near(o.date, o.date))
        .map((o) => rangeWords(o.date, o.date)),
    ];
    const other = days.oneOffs
      .filter((o) => o.spans.length && near(o.date, o.date))
      .map((o) => rangeWords(o.date, o.date));
    return { away: list(away), other: list(other) };
  });
  const list = (words: string[]) => new Intl.ListFormat('en-GB').format(words);

  const span: Draft = ['09:00', '17:00'];
  const pause: Draft = ['12:30', '13:00'];
</script>

{#if person.problem && !member}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{person.problem.message}</Notice></div>
{:else if form.problem && !form.now}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{form.problem.message}</Notice></div>
{:else if member && form.now && draft}
  <PersonFrame {member} here="hours">
    {#snippet sentence()}
      {#if average === 0}
        No hours{draft?.from ? ` ${spanWords(draft)}` : ' yet'}: nothing of this person’s time is offered.
      {:else if draft}
        Open <b>{writeWork(average)}</b> a week{draft.weeks.length > 1 ? ' on average' : ''},
        <b>{spanWords(draft)}</b>{editor.at === present ? ', in force now' : ''}, by the clock in {cityOf(
          member?.zone ?? '',
        )}.
      {/if}
      {#if soon.away}Away <b>{soon.away}</b>.{/if}
      {#if soon.other}Other hours on <b>{soon.other}</b>.{/if}
    {/snippet}
    <Timeline {drafts} {today} at={editor.at} onpick={(i) => editor.pick(i)} />
    <div class="flex flex-wrap items-center gap-3" role="group" aria-label="Patterns">
      <b>{draft ? spanWords(draft) : ''}{editor.at === present ? ', in force now' : ''}</b>
      <button type="button" class="link-plain text-sm" onclick={() => editor.addPattern()}
        >add a pattern</button
      >
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
    <Days form={daysForm} parts={partsOfDays} {today} {drafts} />
  </PersonFrame>
{/if}

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
