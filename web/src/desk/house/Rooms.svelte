<script lang="ts">
  import { untrack } from 'svelte';
  import { api, data, everything, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { query } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import ListTools from '$lib/ui/ListTools.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';

  /** Rooms and equipment, by kind. */
  let search = $state('');
  let order = $state('kind');
  let archived = $state(false);
  let name = $state('');
  let kind = $state('');
  let problem = $state<Problem>();
  type Fields = Shape<'ResourceFields'>;
  /** The one that is being changed, with its new values. */
  const editing = new Form<Fields, Fields, Shape<'Resource'>>(
    {
      read: (id) => data(api.GET('/api/resources/{id}', { params: { path: { id } } })),
      save: (id, body, version) =>
        data(api.PUT('/api/resources/{id}', { params: { path: { id }, header: over(version) }, body })),
      value: ({ name, kind }) => ({ name, kind }),
      body: (fields) => fields,
    },
    { name: '', kind: '' },
  );
  const parts = fields<Fields>({ name: 'Name', kind: 'Kind' });
  let open = $state(0);

  const list = query(() => {
    const which = archived;
    return everything((query) => api.GET('/api/resources', { params: { query } }), which);
  });
  const resources = $derived(list.value ?? []);
  const load = () =>
    list.ask(() => everything((query) => api.GET('/api/resources', { params: { query } }), archived));

  async function archive(id: number, on: boolean) {
    problem = undefined;
    try {
      await data(
        api.PUT('/api/resources/{id}/archive', { params: { path: { id } }, body: { archived: on } }),
      );
      await load();
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  async function add(e: SubmitEvent) {
    e.preventDefault();
    problem = undefined;
    try {
      await data(api.POST('/api/resources', { body: { name, kind } }));
      [name, kind] = ['', ''];
      await load();
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  async function change(e: SubmitEvent) {
    e.preventDefault();
    if (await editing.save()) open = 0;
  }
  // Also a conflict that was settled ends the editing.
  $effect(() => {
    if (editing.saved) [open] = [0];
  });
  $effect(() => {
    if (editing.now) untrack(load);
  });

  const words = (list: string[]) => new Intl.ListFormat('en-GB').format(list);
  const shown = $derived(
    resources
      .filter((r) => `${r.name} ${r.kind}`.toLowerCase().includes(search.trim().toLowerCase()))
      .toSorted(
        (a, b) =>
          (order === 'missing' ? a.neededBy.length - b.neededBy.length : 0) ||
          (order === 'name' ? 0 : a.kind.localeCompare(b.kind)) ||
          a.name.localeCompare(b.name),
      ),
  );
</script>

<section class="grid content-start gap-4" aria-labelledby="rooms">
  <div>
    <h2 class="text-2xl" id="rooms">Rooms and equipment</h2>
    <p class="text-mute">A visit takes one of each kind that its service needs, and holds it alone.</p>
  </div>
  {#if resources.length > 1 || archived}
    <ListTools
      bind:search
      bind:order
      bind:archived
      what="rooms"
      orders={[
        ['kind', 'kind'],
        ['name', 'name'],
        ['missing', 'what is missing'],
      ]}
    />
  {/if}
  <ul class="sheet divide-y divide-base-300">
    {#each shown as r (r.id)}
      <li class="px-4 py-2.5">
        {#if open === r.id}
          <form class="grid items-start gap-3 sm:grid-cols-[1fr_1fr_auto]" onsubmit={change} novalidate>
            <Field label="New name" error={editing.problem?.fields.name}>
              {#snippet children(tie)}<input
                  class="input w-full"
                  bind:value={editing.value.name}
                  {...tie}
                />{/snippet}
            </Field>
            <Field label="New kind" error={editing.problem?.fields.kind}>
              {#snippet children(tie)}
                <input class="input w-full" list="kinds" bind:value={editing.value.kind} {...tie} />
              {/snippet}
            </Field>
            <div class="flex gap-2 pt-6">
              <button class="btn btn-primary">Save</button>
              <button type="button" class="btn" onclick={() => (open = 0)}>Not now</button>
            </div>
            <div class="not-has-[>*]:hidden sm:col-span-3">
              <Outcome form={editing} parts={() => parts} quiet />
            </div>
          </form>
        {:else}
          <div class="flex items-baseline gap-3">
            <div class="min-w-0 grow">
              <b class="break-words">{r.name}</b> <span class="text-mute">{r.kind}</span>
              {#if r.neededBy.length}
                <p class="text-sm text-mute">For {words(r.neededBy)}</p>
              {:else if !archived}
                <p class="text-sm font-semibold text-brick">No service needs a {r.kind}</p>
              {/if}
            </div>
            {#if !archived}
              <button
                type="button"
                class="link-plain text-sm"
                aria-label="Change {r.name}"
                onclick={() => {
                  editing.take(r, r.id);
                  open = r.id;
                }}>change</button
              >
            {/if}
            <button
              type="button"
              class="link-plain text-sm whitespace-nowrap"
              aria-label="{archived ? 'Bring back' : 'Archive'} {r.name}"
              onclick={() => archive(r.id, !archived)}>{archived ? 'bring back' : 'archive'}</button
            >
          </div>
        {/if}
      </li>
    {:else}
      <li class="px-4 py-3 text-mute">
        {#if search}No room here is called “{search}”.
        {:else if archived}Nothing is archived.
        {:else}None yet. Add the first one below; then say on a service that it needs its kind.{/if}
      </li>
    {/each}
  </ul>
  <form class="grid items-start gap-3 sm:grid-cols-[1fr_1fr_auto]" onsubmit={add} novalidate>
    <Field label="Name" error={problem?.fields.name}>
      {#snippet children(tie)}<input class="input w-full" bind:value={name} {...tie} />{/snippet}
    </Field>
    <Field label="Kind" hint="As in workshop bay" error={problem?.fields.kind}>
      {#snippet children(tie)}<input class="input w-full" list="kinds" bind:value={kind} {...tie} />{/snippet}
    </Field>
    <datalist id="kinds">
      {#each new Set(resources.map((r) => r.kind)) as k (k)}<option value={k}></option>{/each}
    </datalist>
    <button class="btn mt-6">Add</button>
  </form>
  {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong">{problem.message}</Notice
    >{/if}
</section>
