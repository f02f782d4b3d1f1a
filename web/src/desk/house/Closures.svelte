<script lang="ts">
  import { untrack } from 'svelte';
  import X from '@lucide/svelte/icons/x';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { follow } from '$lib/api/query.svelte';
  import { partsOfClosures } from '$lib/edit/parts';
  import { addDays, daysBetween, longDate } from '$lib/hours/dates';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { isDate } from '$lib/ui/typed';
  import ListTools from '$lib/ui/ListTools.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';

  /** The days on which all is closed: typed in, or read from a public calendar. */
  type Edited = Shape<'Closures'>;
  const form = new Form<Edited, Edited, Shape<'ClosuresNow'>>(
    {
      read: () => data(api.GET('/api/closures')),
      save: (_, body, version, accept) =>
        data(api.PUT('/api/closures', { params: { query: { accept }, header: over(version) }, body })),
      value: ({ items }) => ({ items }),
      body: (edited) => edited,
    },
    { items: [] },
  );
  const closures = $derived(form.now?.items ?? []);
  const today = $derived(form.now?.today ?? '');
  let search = $state('');
  let order = $state('date');
  let past = $state(false);
  /** What was there before the last change, to go back to. */
  let before = $state<Shape<'Closure'>[]>();
  let date = $state('');
  let until = $state('');
  let name = $state('');
  let address = $state('');
  /** What kept a calendar of holidays from being read. */
  let problem = $state<Problem>();
  let said = $state('');
  /** What is wrong with the days that were typed. */
  let range = $state({ from: '', until: '' });

  void form.open(0);
  follow(() => void form.again(), ['rules']);

  // What was typed goes when it has been saved, and stays when something else was.
  $effect(() => {
    if (form.saved && closures.some((c) => c.date === untrack(() => date)))
      [date, until, name] = ['', '', ''];
  });

  async function save(items: Shape<'Closure'>[]): Promise<boolean> {
    [problem, said] = [undefined, ''];
    const old = closures;
    const done = await form.put({ items });
    if (done) before = old;
    return done;
  }

  function add(e: SubmitEvent) {
    e.preventDefault();
    const days = until ? daysBetween(date, until) + 1 : 1;
    range = {
      from: date === '' ? 'Give the first day.' : isDate(date) ? '' : 'This is not a date.',
      until:
        until && !isDate(until)
          ? 'This is not a date.'
          : days < 1
            ? 'This is before the first day.'
            : days > 366
              ? 'At most a year at once.'
              : '',
    };
    if (range.from || range.until) return;
    const fresh = Array.from({ length: days }, (_, i) => ({ date: addDays(date, i), name }));
    void save([...closures.filter((c) => c.date < date || c.date > (until || date)), ...fresh]);
  }

  async function read(source: Shape<'Import'>) {
    [problem, said] = [undefined, ''];
    try {
      const found = await data(api.POST('/api/closures/import', { body: source }));
      const fresh = found.items.filter((f) => !closures.some((c) => c.date === f.date));
      if (await save([...closures, ...fresh]))
        said = `${found.items.length} days found, ${fresh.length} of them new.`;
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  async function readFile(e: Event & { currentTarget: HTMLInputElement }) {
    const file = e.currentTarget.files?.[0];
    if (file) await read({ text: await file.text() });
  }

  async function undo() {
    if (before && (await save(before))) before = undefined;
  }

  /** Closures that follow each other under one name are one, as 24–26 December. */
  type Run = { from: string; until: string; name: string };
  const shown = $derived.by(() => {
    const runs: Run[] = [];
    for (const c of closures) {
      const last = runs.at(-1);
      if (last?.name === c.name && addDays(last.until, 1) === c.date) last.until = c.date;
      else runs.push({ from: c.date, until: c.date, name: c.name });
    }
    const like = search.trim().toLowerCase();
    return runs
      .filter((r) => (past ? r.until < today : r.until >= today))
      .filter((r) => `${r.name} ${longDate(r.from)}`.toLowerCase().includes(like))
      .toSorted(
        (a, b) => (order === 'name' ? a.name.localeCompare(b.name) : 0) || (a.from < b.from ? -1 : 1),
      );
  });
  const when = (r: Run) =>
    r.from === r.until
      ? longDate(r.from)
      : `${longDate(r.from).replace(/ \d{4}$/, '')} – ${longDate(r.until)}`;

  const wrongDate = $derived(
    Object.entries(form.problem?.fields ?? {}).find(([f]) => f.startsWith('items'))?.[1] ?? '',
  );
</script>

<section class="grid content-start gap-4" aria-labelledby="closures">
  <div>
    <h2 class="text-2xl" id="closures">Closures</h2>
    <p class="text-mute">On these days nobody works, except those with a one-off day.</p>
  </div>
  {#if closures.length > 1 || past}
    <ListTools
      bind:search
      bind:order
      bind:archived={past}
      also="Show what is past"
      what="closures"
      orders={[
        ['date', 'date'],
        ['name', 'name'],
      ]}
    />
  {/if}
  <ul class="sheet max-h-96 divide-y divide-base-300 overflow-auto">
    {#each shown as r (r.from)}
      <li class="flex items-center gap-3 px-4 py-2">
        <div class="min-w-0 grow">
          <b class="break-words">{r.name || 'Closed'}</b>
          <p class="text-sm text-mute">
            {when(r)}{r.from === r.until ? '' : `, ${daysBetween(r.from, r.until) + 1} days`}
          </p>
        </div>
        <button
          class="btn btn-ghost btn-xs btn-square"
          aria-label="Open again on {when(r)}"
          onclick={() => save(closures.filter((c) => c.date < r.from || c.date > r.until))}
          ><X size={14} /></button
        >
      </li>
    {:else}
      <li class="px-4 py-3 text-mute">
        {#if search}No closure here is called “{search}”.
        {:else if past}None is past.
        {:else}None ahead. Public holidays can be read from a calendar file or address.{/if}
      </li>
    {/each}
  </ul>
  {#if before}
    <button type="button" class="link-plain justify-self-start text-sm" onclick={undo}
      >undo the last change</button
    >
  {/if}
  <Outcome {form} parts={partsOfClosures} quiet step />
  {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong">{problem.message}</Notice
    >{/if}
  <form class="grid items-start gap-3 sm:grid-cols-[1fr_1fr_auto]" onsubmit={add} novalidate>
    <Field label="Day" error={range.from || wrongDate}>
      {#snippet children(tie)}<DateInput class="w-full" bind:value={date} {...tie} />{/snippet}
    </Field>
    <Field label="Until" error={range.until}>
      {#snippet children(tie)}<DateInput class="w-full" bind:value={until} {...tie} />{/snippet}
    </Field>
    <div class="sm:order-4 sm:col-span-2">
      <Field label="Called">
        {#snippet children(tie)}<input class="input w-full" bind:value={name} {...tie} />{/snippet}
      </Field>
    </div>
    <button class="btn sm:order-5 sm:mt-6">Add</button>
  </form>
  <form
    class="grid items-start gap-3 sm:grid-cols-[1fr_auto]"
    onsubmit={(e) => {
      e.preventDefault();
      void read({ address });
    }}
    novalidate
  >
    <Field
      label="Address of a holiday calendar"
      hint="iCalendar; the coming two years are read."
      error={problem?.fields.address}
    >
      {#snippet children(tie)}<input
          class="input w-full"
          inputmode="url"
          bind:value={address}
          {...tie}
        />{/snippet}
    </Field>
    <button class="btn mt-6">Read</button>
  </form>
  <Field label="Or a calendar file" error={problem?.fields.text}>
    {#snippet children(tie)}
      <input class="file-input w-full" type="file" accept=".ics,text/calendar" onchange={readFile} {...tie} />
    {/snippet}
  </Field>
  <p role="status">{said}</p>
</section>
