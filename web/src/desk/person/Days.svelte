<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { shortDate } from '$lib/hours/dates';
  import { readTime } from '$lib/hours/wallclock';
  import Field from '$lib/ui/Field.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** One-off days and absences, which win over the patterns. */
  let { staff }: { staff: number } = $props();

  let days = $state<Shape<'Days'>>({ oneOffs: [], absences: [] });
  let kind = $state<'away' | 'hours'>('away');
  let from = $state('');
  let until = $state('');
  let opens = $state('09:00');
  let closes = $state('13:00');
  let note = $state('');
  let problem = $state<Problem>();
  /** What is being saved, kept for the case that bookings no longer fit. */
  let wanted = $state<Shape<'Days'>>();

  async function load(id: number) {
    days = await data(api.GET('/api/staff/{id}/days', { params: { path: { id } } }));
  }
  $effect(() => void load(staff));

  async function save(next: Shape<'Days'>, accept = 0): Promise<boolean> {
    wanted = next;
    problem = undefined;
    try {
      const params = { path: { id: staff }, query: { accept } };
      const body = { oneOffs: next.oneOffs, absences: next.absences };
      days = await data(api.PUT('/api/staff/{id}/days', { params, body }));
      note = '';
      return true;
    } catch (cause) {
      problem = problemOf(cause);
      return false;
    }
  }

  async function add(e: SubmitEvent) {
    e.preventDefault();
    const absence = { from, until: until || from, note };
    const times = [readTime(opens) ?? opens, readTime(closes) ?? closes];
    const oneOff = { date: from, spans: [times], note };
    await save({
      absences: kind === 'away' ? [...days.absences, absence] : days.absences,
      oneOffs: kind === 'hours' ? [...days.oneOffs.filter((o) => o.date !== from), oneOff] : days.oneOffs,
    });
  }

  const fault = (part: string) =>
    Object.entries(problem?.fields ?? {}).find(([field]) => field.includes(part))?.[1] ?? '';
</script>

<section class="grid gap-3 pb-6" aria-label="One-off days and absences">
  <div>
    <h2 class="text-lg">One-off days and absences</h2>
    <p class="text-sm text-mute">They win over the weekly hours.</p>
  </div>
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
      {#snippet children(tie)}<input class="input w-42" type="date" bind:value={from} {...tie} />{/snippet}
    </Field>
    {#if kind === 'away'}
      <Field label="Until" error={fault('.until')}>
        {#snippet children(tie)}<input class="input w-42" type="date" bind:value={until} {...tie} />{/snippet}
      </Field>
    {:else}
      <Field label="Opens" error={fault('.spans')}>
        {#snippet children(tie)}<input class="input w-24" bind:value={opens} {...tie} />{/snippet}
      </Field>
      <Field label="Closes">
        {#snippet children(tie)}<input class="input w-24" bind:value={closes} {...tie} />{/snippet}
      </Field>
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
