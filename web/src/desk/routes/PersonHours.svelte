<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import SpanFields from '$lib/hours/SpanFields.svelte';
  import CopyDay from '$lib/hours/CopyDay.svelte';
  import { cityOf, rangeWords } from '$lib/hours/dates';
  import DayEditor from '$lib/hours/DayEditor.svelte';
  import { faultsOf } from '$lib/hours/edit';
  import { History } from '$lib/hours/history.svelte';
  import {
    draftPatterns,
    inForce,
    patternsOf,
    spanWords,
    turnOf,
    type DraftPattern,
  } from '$lib/hours/patterns';
  import Timeline from '$lib/hours/Timeline.svelte';
  import { lengthOf } from '$lib/hours/wallclock';
  import {
    dayKeys,
    dayNames,
    draftOf,
    minutesOfWeek,
    pieces,
    type DayKey,
    type Draft,
    type DraftDay,
  } from '$lib/hours/week';
  import Hours from '$lib/lane/Hours.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { on } from 'svelte/events';
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import Days from '../person/Days.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { route } from '../router';

  const id = $derived(Number(route.params.id));
  let member = $state<Shape<'StaffMember'>>();
  let drafts = $state<DraftPattern[]>([]);
  /** Which pattern and which week of its cycle are shown. */
  let at = $state(0);
  let weekAt = $state(0);
  let kept = $state('');
  let saved = $state(false);
  let problem = $state<Problem>();
  let missing = $state('');

  let days = $state<Shape<'Days'>>({ oneOffs: [], absences: [] });
  /** The axis as it was when a drag began, until it ends. */
  let heldAxis = $state<{ from: number; to: number }>();
  const history = new History();

  const written = () => JSON.stringify(patternsOf(drafts));
  const changed = $derived(written() !== kept);
  const draft = $derived(drafts[at]);
  const week = $derived(draft?.weeks[weekAt] ?? draftOf());
  const today = $derived(member?.today ?? '');
  const present = $derived(inForce(drafts, today));
  const average = $derived(
    draft ? Math.round(draft.weeks.reduce((sum, w) => sum + minutesOfWeek(w), 0) / draft.weeks.length) : 0,
  );

  async function load(id: number, again = false) {
    const path = { params: { path: { id } } };
    try {
      const known = await data(api.GET('/api/staff/{id}', path));
      const { patterns } = await data(api.GET('/api/staff/{id}/hours', path));
      // In the meantime something may have been typed.
      if (again && (changed || id !== known.id)) return;
      member = known;
      if (again && JSON.stringify(patternsOf(draftPatterns(patterns))) === kept) return;
      drafts = draftPatterns(patterns);
    } catch (cause) {
      if (!again) missing = problemOf(cause).message;
      return;
    }
    if (drafts.length === 0) drafts = [{ from: today, until: '', weeks: [draftOf()] }];
    kept = written();
    at = Math.max(0, inForce(drafts, today));
    const shown = drafts[at];
    weekAt = shown ? turnOf(shown, today) : 0;
    history.begin(JSON.stringify(drafts));
  }

  /** Notes what has been done, so that it can be undone. A drag is one step. */
  function note() {
    if (!heldAxis) history.note(JSON.stringify(drafts));
  }
  function step(by: -1 | 1) {
    const state = history.step(by);
    if (state === undefined) return;
    drafts = JSON.parse(state) as DraftPattern[];
    at = Math.min(at, drafts.length - 1);
    weekAt = Math.min(weekAt, (drafts[at]?.weeks.length ?? 1) - 1);
  }
  function press(e: KeyboardEvent) {
    const typing = e.target instanceof HTMLInputElement && e.target.type !== 'checkbox';
    if (!(e.ctrlKey || e.metaKey) || typing) return;
    const key = e.key.toLowerCase();
    if (key === 'z' || key === 'y') {
      e.preventDefault();
      step(key === 'y' || e.shiftKey ? 1 : -1);
    }
  }
  /** Notes every change that fields and buttons of the form make, and takes its keys. */
  function watch(form: HTMLElement) {
    const ends = [
      on(form, 'change', note),
      on(form, 'click', () => queueMicrotask(note)),
      on(form, 'keydown', press),
    ];
    return () => ends.forEach((end) => end());
  }
  function change(key: DayKey, day: DraftDay) {
    week[key] = day;
    note();
  }
  $effect(() => void load(id));
  // What others change is shown, unless something here has not been saved.
  $effect(() =>
    listen(() => {
      if (!changed && !heldAxis) void load(id, true);
    }),
  );

  async function save(accept = 0) {
    problem = undefined;
    saved = false;
    try {
      const body = { patterns: patternsOf(drafts) };
      await data(api.PUT('/api/staff/{id}/hours', { params: { path: { id }, query: { accept } }, body }));
      kept = written();
      saved = true;
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  function addPattern() {
    drafts.push({ from: '', until: '', weeks: draft ? $state.snapshot(draft.weeks) : [draftOf()] });
    [at, weekAt] = [drafts.length - 1, 0];
  }
  function removePattern() {
    drafts.splice(at, 1);
    [at, weekAt] = [Math.max(0, at - 1), 0];
  }
  function addWeek() {
    draft?.weeks.push($state.snapshot(week));
    weekAt = (draft?.weeks.length ?? 1) - 1;
  }
  function removeWeek() {
    draft?.weeks.splice(weekAt, 1);
    weekAt = Math.max(0, weekAt - 1);
  }

  const prefix = $derived(`patterns[${at}].`);
  /** What is wrong with a day: as the server says, and what can be told before it is asked. */
  function faults(day: DayKey, kind: 'spans' | 'breaks'): Record<number, string> {
    return { ...refused(day, kind), ...faultsOf(week[day])[kind] };
  }
  function refused(day: DayKey, kind: 'spans' | 'breaks'): Record<number, string> {
    const path = `${prefix}cycle[${weekAt}].${day}.${kind}`;
    return Object.fromEntries(
      Object.entries(problem?.fields ?? {}).flatMap(([field, message]) => {
        const at = field.startsWith(path) ? /^\[(\d+)\]/.exec(field.slice(path.length)) : null;
        return at ? [[Number(at[1]), message]] : [];
      }),
    );
  }

  function copy(day: DayKey, to: DayKey[]) {
    for (const key of to) week[key] = $state.snapshot(week[day]);
    note();
  }

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

  const axis = $derived.by(() => {
    if (heldAxis) return heldAxis;
    const all = dayKeys.flatMap((key) => pieces(week[key]));
    const start = Math.min(7 * 60, ...all.map((p) => p.start));
    const end = Math.max(20 * 60, ...all.map((p) => p.end));
    return { from: Math.max(0, Math.floor(start / 60) * 60 - 60), to: Math.ceil(end / 60) * 60 + 60 };
  });
  const marks = $derived(
    Array.from(
      { length: Math.ceil((axis.to - axis.from) / 60) },
      (_, i) => Math.ceil(axis.from / 60) * 60 + i * 60,
    )
      .filter((at) => at < axis.to)
      .map((at) => ({ at, label: String(Math.floor(at / 60) % 24).padStart(2, '0') })),
  );
  const span: Draft = ['09:00', '17:00'];
  const pause: Draft = ['12:30', '13:00'];
</script>

{#if missing}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{missing}</Notice></div>
{:else if member && draft}
  <PersonFrame {member} here="hours">
    {#snippet sentence()}
      {#if average === 0}
        No hours{draft?.from ? ` ${spanWords(draft)}` : ' yet'}: nothing of this person’s time is offered.
      {:else if draft}
        Open <b>{lengthOf(average)}</b> a week{draft.weeks.length > 1 ? ' on average' : ''},
        <b>{spanWords(draft)}</b>{at === present ? ', in force now' : ''}, by the clock in {cityOf(
          member?.zone ?? '',
        )}.
      {/if}
      {#if soon.away}Away <b>{soon.away}</b>.{/if}
      {#if soon.other}Other hours on <b>{soon.other}</b>.{/if}
    {/snippet}
    <Timeline {drafts} {today} {at} onpick={(i) => ([at, weekAt] = [i, 0])} />
    <div class="flex flex-wrap items-center gap-3" role="group" aria-label="Patterns">
      <b>{draft ? spanWords(draft) : ''}{at === present ? ', in force now' : ''}</b>
      <button type="button" class="link-plain text-sm" onclick={addPattern}>add a pattern</button>
      <span class="grow"></span>
      {#if draft && draft.weeks.length > 1}
        {#each draft.weeks as w, i (w)}
          <button
            type="button"
            class="btn btn-sm"
            class:btn-secondary={i === weekAt}
            aria-pressed={i === weekAt}
            onclick={() => (weekAt = i)}
            >Week {i + 1}{at === present && i === turnOf(draft, today) ? ', now' : ''}</button
          >
        {/each}
        <button type="button" class="link-plain text-sm" onclick={removeWeek}>remove this week</button>
      {/if}
      {#if draft && draft.weeks.length < 8}
        <button type="button" class="link-plain text-sm" onclick={addWeek}>
          {draft.weeks.length > 1 ? 'add a week' : 'alternate weeks'}
        </button>
      {/if}
    </div>
    <form
      onsubmit={(e) => {
        e.preventDefault();
        void save();
      }}
      {@attach watch}
      novalidate
      class="grid gap-3"
    >
      <div class="hours">
        <span></span>
        <Hours {axis} {marks} />
        <span class="text-sm font-semibold text-mute">Hours</span>
        <span class="text-sm font-semibold text-mute">Breaks</span>
        {#each dayKeys as key (key)}
          <div class="pt-3 font-bold">
            {dayNames[key]}
            <span class="block"><CopyDay from={key} oncopy={(to) => copy(key, to)} /></span>
          </div>
          <DayEditor
            {axis}
            day={week[key]}
            name={dayNames[key]}
            onchange={(day) => change(key, day)}
            onhold={(holding) => {
              heldAxis = holding ? axis : undefined;
              note();
            }}
          />
          <div class="py-2.5">
            <SpanFields
              bind:spans={week[key].spans}
              what="{dayNames[key]} hours"
              faults={faults(key, 'spans')}
              next={span}
              none="closed"
            />
          </div>
          <div class="py-2.5">
            <SpanFields
              bind:spans={week[key].breaks}
              what="{dayNames[key]} breaks"
              faults={faults(key, 'breaks')}
              next={pause}
              none="none"
            />
          </div>
        {/each}
      </div>
      {#if problem?.misfitCount}
        <Misfits {problem} onaccept={() => save(problem?.misfitCount)} onback={() => (problem = undefined)} />
      {:else if problem}
        <Notice tone="wrong">{problem.message} Nothing was saved.</Notice>
      {/if}
      <div class="sticky bottom-0 flex flex-wrap items-end gap-4 border-t border-edge bg-page py-3">
        {#if draft}
          <Field label="In force from" error={problem?.fields[`${prefix}from`]}>
            {#snippet children(tie)}<input
                class="input w-44"
                type="date"
                bind:value={draft.from}
                {...tie}
              />{/snippet}
          </Field>
          <Field label="Until" error={problem?.fields[`${prefix}until`]}>
            {#snippet children(tie)}<input
                class="input w-44"
                type="date"
                bind:value={draft.until}
                {...tie}
              />{/snippet}
          </Field>
        {/if}
        <button class="btn btn-primary" disabled={!changed}>Save the hours</button>
        <button type="button" class="btn" disabled={!changed} onclick={() => load(id)}>Discard</button>
        {#if drafts.length > 1}
          <button type="button" class="btn btn-ghost" onclick={removePattern}>Remove this pattern</button>
        {/if}
        <span class="flex pb-1">
          <button
            type="button"
            class="btn btn-ghost btn-square btn-sm"
            aria-label="Undo"
            title="Undo (Ctrl Z)"
            disabled={!history.canUndo}
            onclick={() => step(-1)}><Undo size={17} /></button
          >
          <button
            type="button"
            class="btn btn-ghost btn-square btn-sm"
            aria-label="Redo"
            title="Redo (Ctrl Shift Z)"
            disabled={!history.canRedo}
            onclick={() => step(1)}><Redo size={17} /></button
          >
        </span>
        <p class="pb-2 text-sm text-mute" role="status">
          {changed ? 'Not saved yet' : saved ? 'Saved' : ''}
        </p>
      </div>
    </form>
    <Days staff={id} {today} {drafts} bind:days />
  </PersonFrame>
{/if}

<style>
  .hours {
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr) 192px 192px;
    column-gap: 16px;
    row-gap: 3px;
  }
</style>
