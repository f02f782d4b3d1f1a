<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import { shortDate } from '$lib/hours/dates';
  import { faultsOf } from '$lib/hours/edit';
  import type { DraftPattern } from '$lib/hours/patterns';
  import SpanFields from '$lib/hours/SpanFields.svelte';
  import { readTime } from '$lib/hours/wallclock';
  import type { Draft } from '$lib/hours/week';
  import Field from '$lib/ui/Field.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Strip from './Strip.svelte';

  /** One-off days and absences, which win over the patterns. */
  let {
    staff,
    today,
    drafts,
    days = $bindable(),
  }: { staff: number; today: string; drafts: DraftPattern[]; days: Shape<'Days'> } = $props();

  let closures = $state<Shape<'Closure'>[]>([]);
  let kind = $state<'away' | 'hours'>('away');
  let chosen = $state({ from: '', until: '' });
  let spans = $state<Draft[]>([['09:00', '13:00']]);
  let note = $state('');
  let problem = $state<Problem>();
  /** What is being saved, kept for the case that bookings no longer fit. */
  let wanted = $state<Shape<'Days'>>();
  /** What was there before the last change, to go back to. */
  let before = $state<Shape<'Days'>>();

  async function load(id: number) {
    days = await data(api.GET('/api/staff/{id}/days', { params: { path: { id } } }));
    closures = (await data(api.GET('/api/closures'))).items;
  }
  $effect(() => void load(staff));
  $effect(() => listen(() => void load(staff)));

  async function save(next: Shape<'Days'>, accept = 0): Promise<boolean> {
    wanted = next;
    problem = undefined;
    const old = $state.snapshot(days);
    try {
      const params = { path: { id: staff }, query: { accept } };
      const body = { oneOffs: next.oneOffs, absences: next.absences };
      days = await data(api.PUT('/api/staff/{id}/days', { params, body }));
      before = old;
      // What was typed goes when it has been saved, and stays when something else was.
      const saved = [...next.absences.map((a) => a.from), ...next.oneOffs.map((o) => o.date)];
      if (saved.includes(chosen.from)) [note, chosen] = ['', { from: '', until: '' }];
      return true;
    } catch (cause) {
      problem = problemOf(cause);
      return false;
    }
  }

  async function undo() {
    if (before && (await save(before))) before = undefined;
  }

  async function add(e: SubmitEvent) {
    e.preventDefault();
    const { from, until } = chosen;
    const absence = { from, until: until || from, note };
    const read = spans.map(([a, b]) => [readTime(a) ?? a, readTime(b) ?? b]);
    const oneOff = { date: from, spans: read, note };
    await save({
      absences: kind === 'away' ? [...days.absences, absence] : days.absences,
      oneOffs: kind === 'hours' ? [...days.oneOffs.filter((o) => o.date !== from), oneOff] : days.oneOffs,
    });
  }

  function choose(range: { from: string; until: string }) {
    chosen = range;
    problem = undefined;
    if (range.from !== range.until) kind = 'away';
    const known = days.oneOffs.find((o) => o.date === range.from && range.from === range.until);
    if (known?.spans.length) {
      kind = 'hours';
      spans = known.spans.map((s): Draft => [s[0] ?? '', s[1] ?? '']);
      note = known.note;
    }
  }

  const fault = (part: string) =>
    Object.entries(problem?.fields ?? {}).find(([field]) => field.includes(part))?.[1] ?? '';
  const wrong = $derived(faultsOf({ spans, breaks: [] }).spans);
</script>

<section class="grid gap-3 pb-6" aria-label="One-off days and absences">
  <div class="flex flex-wrap items-baseline gap-x-3">
    <h2 class="text-lg">One-off days and absences</h2>
    <p class="text-sm text-mute">They win over the weekly hours. Choose a day, or drag over several.</p>
    {#if before}
      <button type="button" class="link-plain ml-auto text-sm" onclick={undo}>undo the last change</button>
    {/if}
  </div>
  <Strip {today} {drafts} {days} {closures} {chosen} onchoose={choose} />
  <form class="flex flex-wrap items-start gap-3" onsubmit={add} novalidate>
    <Field label="What">
      {#snippet children(tie)}
        <select class="select w-40" bind:value={kind} {...tie}>
          <option value="away">Away</option>
          <option value="hours">Other hours</option>
        </select>
      {/snippet}
    </Field>
    <Field label={kind === 'away' ? 'From' : 'Day'} error={fault('.from') || fault('.date')}>
      {#snippet children(tie)}
        <input class="input w-42" type="date" bind:value={chosen.from} {...tie} />
      {/snippet}
    </Field>
    {#if kind === 'away'}
      <Field label="Until" error={fault('.until')}>
        {#snippet children(tie)}
          <input class="input w-42" type="date" bind:value={chosen.until} {...tie} />
        {/snippet}
      </Field>
    {:else}
      <div class="grid gap-1 pt-6">
        <SpanFields
          bind:spans
          what="other hours"
          faults={wrong}
          next={['14:00', '17:00']}
          none="away all day"
        />
        {#if fault('.spans')}<p class="text-xs font-medium text-brick" role="alert">{fault('.spans')}</p>{/if}
      </div>
    {/if}
    <Field label="Note">
      {#snippet children(tie)}<input class="input w-52" bind:value={note} {...tie} />{/snippet}
    </Field>
    <button class="btn mt-6">Add</button>
  </form>
  {#if problem?.misfitCount && wanted}
    <Misfits
      {problem}
      onaccept={() => wanted && save(wanted, problem?.misfitCount)}
      onback={() => (problem = undefined)}
    />
  {:else if problem}
    <Notice tone="wrong">{problem.message} Nothing was saved.</Notice>
  {/if}
  {#if days.absences.length + days.oneOffs.length > 0}
    <ul class="sheet divide-y divide-base-300">
      {#each days.absences as a, i (a)}
        <li class="row">
          <b>Away</b>
          <span>{shortDate(a.from)}{a.until === a.from ? '' : ` – ${shortDate(a.until)}`}</span>
          <span class="text-mute">{a.note}</span>
          <button
            class="btn btn-ghost btn-xs btn-square"
            aria-label="Remove the absence from {shortDate(a.from)}"
            onclick={() => save({ ...days, absences: days.absences.filter((_, k) => k !== i) })}
            ><X size={14} /></button
          >
        </li>
      {/each}
      {#each days.oneOffs as o, i (o.date)}
        <li class="row">
          <b>{o.spans.length ? o.spans.map((s) => s.join('–')).join(', ') : 'Away'}</b>
          <span>{shortDate(o.date)}</span>
          <span class="text-mute">{o.note}</span>
          <button
            class="btn btn-ghost btn-xs btn-square"
            aria-label="Remove the one-off day {shortDate(o.date)}"
            onclick={() => save({ ...days, oneOffs: days.oneOffs.filter((_, k) => k !== i) })}
            ><X size={14} /></button
          >
        </li>
      {/each}
    </ul>
  {/if}
</section>

<style>
  .row {
    display: grid;
    grid-template-columns: 9rem 17rem 1fr auto;
    align-items: center;
    gap: 12px;
    padding: 9px 14px;
  }
</style>
