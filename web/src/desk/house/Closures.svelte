<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { longDate } from '$lib/hours/dates';
  import Field from '$lib/ui/Field.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** The days on which all is closed: typed in, or read from a public calendar. */
  let closures = $state<Shape<'Closure'>[]>([]);
  let date = $state('');
  let name = $state('');
  let address = $state('');
  /** What is being saved, kept for the case that bookings no longer fit. */
  let wanted = $state<Shape<'Closure'>[]>([]);
  let problem = $state<Problem>();
  let said = $state('');

  async function load() {
    closures = (await data(api.GET('/api/closures'))).items;
  }
  void load();

  async function save(items: Shape<'Closure'>[], accept = 0) {
    [wanted, problem, said] = [items, undefined, ''];
    try {
      closures = (await data(api.PUT('/api/closures', { params: { query: { accept } }, body: { items } })))
        .items;
      [date, name] = ['', ''];
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  function add(e: SubmitEvent) {
    e.preventDefault();
    void save([...closures.filter((c) => c.date !== date), { date, name }]);
  }

  async function read(source: Shape<'Import'>) {
    [problem, said] = [undefined, ''];
    try {
      const found = await data(api.POST('/api/closures/import', { body: source }));
      const fresh = found.items.filter((f) => !closures.some((c) => c.date === f.date));
      await save([...closures, ...fresh]);
      if (!problem) said = `${found.items.length} days found, ${fresh.length} of them new.`;
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  async function readFile(e: Event & { currentTarget: HTMLInputElement }) {
    const file = e.currentTarget.files?.[0];
    if (file) await read({ text: await file.text() });
  }

  const wrongDate = $derived(
    Object.entries(problem?.fields ?? {}).find(([f]) => f.startsWith('items'))?.[1] ?? '',
  );
</script>

<section class="grid content-start gap-4" aria-labelledby="closures">
  <div>
    <h2 class="text-2xl" id="closures">Closures</h2>
    <p class="text-mute">On these days nobody works, except those with a one-off day.</p>
  </div>
  <ul class="sheet max-h-96 divide-y divide-base-300 overflow-auto">
    {#each closures as c (c.date)}
      <li class="flex items-center gap-3 px-4 py-2">
        <span class="w-64">{longDate(c.date)}</span>
        <b class="grow">{c.name}</b>
        <button
          class="btn btn-ghost btn-xs btn-square"
          aria-label="Open again on {longDate(c.date)}"
          onclick={() => save(closures.filter((o) => o.date !== c.date))}><X size={14} /></button
        >
      </li>
    {:else}
      <li class="px-4 py-3 text-mute">None. Public holidays can be read from a calendar file or address.</li>
    {/each}
  </ul>
  {#if problem?.misfitCount}
    <Misfits
      {problem}
      onaccept={() => save(wanted, problem?.misfitCount)}
      onback={() => (problem = undefined)}
    />
  {:else if problem && Object.keys(problem.fields).length === 0}
    <Notice tone="wrong">{problem.message}</Notice>
  {/if}
  <form class="grid items-start gap-3 sm:grid-cols-[auto_1fr_auto]" onsubmit={add} novalidate>
    <Field label="Day" error={wrongDate}>
      {#snippet children(tie)}<input class="input w-44" type="date" bind:value={date} {...tie} />{/snippet}
    </Field>
    <Field label="Called">
      {#snippet children(tie)}<input class="input w-full" bind:value={name} {...tie} />{/snippet}
    </Field>
    <button class="btn mt-6">Add</button>
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
