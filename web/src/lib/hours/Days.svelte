<script lang="ts">
  import { untrack } from 'svelte';
  import X from '@lucide/svelte/icons/x';
  import type { Shape } from '$lib/api/client';
  import { partsOfDays } from '$lib/edit/parts';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import { shortDate } from './dates';
  import type { Days, DaysForm } from './days';
  import { faultsOf } from './edit';
  import type { DraftPattern } from './patterns';
  import SpanFields from './SpanFields.svelte';
  import Strip from './Strip.svelte';
  import { readTime } from './wallclock';
  import type { Draft } from './week';

  /** One-off days and absences, which win over the patterns. */
  let {
    form,
    today,
    drafts,
    closures,
  }: { form: DaysForm; today: string; drafts: DraftPattern[]; closures: Shape<'Closure'>[] } = $props();

  /** What is kept; what is being saved stands in the form until it is. */
  const days = $derived(form.now ?? form.value);
  const problem = $derived(form.problem);
  let kind = $state<'away' | 'hours'>('away');
  let chosen = $state({ from: '', until: '' });
  let spans = $state<Draft[]>([['09:00', '13:00']]);
  let note = $state('');
  /** What was there before the last change, to go back to. */
  let before = $state.raw<Days>();

  // What was typed goes when it has been saved, and stays when something else was.
  $effect(() => {
    const kept = [...days.absences.map((a) => a.from), ...days.oneOffs.map((o) => o.date)];
    if (form.saved && kept.includes(untrack(() => chosen.from)))
      [note, chosen] = ['', { from: '', until: '' }];
  });

  async function save(next: Days): Promise<boolean> {
    const { oneOffs, absences } = days;
    const done = await form.put({ oneOffs: next.oneOffs, absences: next.absences });
    if (done) before = { oneOffs, absences };
    return done;
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
    form.discard();
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

<section class="grid grid-cols-[minmax(0,1fr)] gap-3 pb-6" aria-label="One-off days and absences">
  <div class="flex flex-wrap items-baseline gap-x-3">
    <h2 class="text-lg">One-off days and absences</h2>
    <p class="text-sm text-mute">
      They win over the weekly hours. Choose a day, or drag over several; the taller its alcove, the longer
      the day.
    </p>
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
        <DateInput bind:value={chosen.from} {...tie} />
      {/snippet}
    </Field>
    {#if kind === 'away'}
      <Field label="Until" error={fault('.until')}>
        {#snippet children(tie)}
          <DateInput bind:value={chosen.until} {...tie} />
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
  <Outcome {form} parts={partsOfDays} step />
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
  @media (max-width: 767px) {
    .row {
      grid-template-columns: minmax(0, 1fr) auto;
      gap: 0 12px;
    }
    .row > :global(*:not(button)) {
      grid-column: 1;
    }
    .row > :global(button) {
      grid-column: 2;
      grid-row: 1;
    }
  }
</style>
