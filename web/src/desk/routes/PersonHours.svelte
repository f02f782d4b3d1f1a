<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import SpanFields from '$lib/hours/SpanFields.svelte';
  import { draftPatterns, inForce, patternsOf, spanWords, type DraftPattern } from '$lib/hours/patterns';
  import { lengthOf } from '$lib/hours/wallclock';
  import {
    dayKeys,
    dayNames,
    draftOf,
    minutesOfWeek,
    pieces,
    type DayKey,
    type Draft,
  } from '$lib/hours/week';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';
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

  const written = () => JSON.stringify(patternsOf(drafts));
  const changed = $derived(written() !== kept);
  const draft = $derived(drafts[at]);
  const week = $derived(draft?.weeks[weekAt] ?? draftOf());
  const today = new Date().toISOString().slice(0, 10);
  const present = $derived(inForce(drafts, today));
  const average = $derived(
    draft ? Math.round(draft.weeks.reduce((sum, w) => sum + minutesOfWeek(w), 0) / draft.weeks.length) : 0,
  );

  async function load(id: number) {
    const path = { params: { path: { id } } };
    try {
      member = await data(api.GET('/api/staff/{id}', path));
      drafts = draftPatterns((await data(api.GET('/api/staff/{id}/hours', path))).patterns);
    } catch (cause) {
      missing = problemOf(cause).message;
      return;
    }
    kept = written();
    if (drafts.length === 0) drafts = [{ from: today, until: '', weeks: [draftOf()] }];
    [at, weekAt] = [Math.max(0, inForce(drafts, today)), 0];
  }
  $effect(() => void load(id));

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
  function faults(day: DayKey, kind: 'spans' | 'breaks'): Record<number, string> {
    const path = `${prefix}cycle[${weekAt}].${day}.${kind}`;
    return Object.fromEntries(
      Object.entries(problem?.fields ?? {}).flatMap(([field, message]) => {
        const at = field.startsWith(path) ? /^\[(\d+)\]/.exec(field.slice(path.length)) : null;
        return at ? [[Number(at[1]), message]] : [];
      }),
    );
  }

  function copyToWorkdays(day: DayKey) {
    for (const key of dayKeys.slice(0, 5)) week[key] = $state.snapshot(week[day]);
  }

  const axis = $derived.by(() => {
    const all = dayKeys.flatMap((key) => pieces(week[key]));
    const start = Math.min(8 * 60, ...all.map((p) => p.start));
    const end = Math.max(18 * 60, ...all.map((p) => p.end));
    return { from: Math.floor(start / 60) * 60 - 30, to: Math.ceil(end / 60) * 60 + 30 };
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
        Open <b>{lengthOf(average)}</b> a week, <b>{spanWords(draft)}</b>{at === present
          ? ', in force now'
          : ''}, by the clock in {member?.zone.split('/').pop()?.replaceAll('_', ' ')}.
      {/if}
    {/snippet}
    <div class="flex flex-wrap items-center gap-2" role="group" aria-label="Patterns">
      {#each drafts as d, i (i)}
        <button
          type="button"
          class="btn btn-sm"
          class:btn-secondary={i === at}
          aria-pressed={i === at}
          onclick={() => ([at, weekAt] = [i, 0])}>{spanWords(d)}{i === present ? ' · now' : ''}</button
        >
      {/each}
      <button type="button" class="link-plain text-sm" onclick={addPattern}>add a pattern</button>
      <span class="grow"></span>
      {#if draft && draft.weeks.length > 1}
        {#each draft.weeks as w, i (w)}
          <button
            type="button"
            class="btn btn-sm"
            class:btn-secondary={i === weekAt}
            aria-pressed={i === weekAt}
            onclick={() => (weekAt = i)}>Week {i + 1}</button
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
            {#if key === 'mon'}
              <button
                type="button"
                class="link-plain block text-sm font-normal"
                onclick={() => copyToWorkdays('mon')}
              >
                copy to Tue–Fri
              </button>
            {/if}
          </div>
          <div class="min-h-13"><Lane {axis} layers={{ open: pieces(week[key]) }} /></div>
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
        <p class="pb-2 text-sm text-mute" role="status">
          {changed ? 'Not saved yet' : saved ? 'Saved' : ''}
        </p>
      </div>
    </form>
    <Days staff={id} />
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
