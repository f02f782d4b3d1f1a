<script lang="ts">
  import { api, data, everything, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import Field from '$lib/ui/Field.svelte';
  import ListTools from '$lib/ui/ListTools.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** Rooms and equipment, by kind. */
  let resources = $state<Shape<'Resource'>[]>([]);
  let search = $state('');
  let order = $state('kind');
  let archived = $state(false);
  let name = $state('');
  let kind = $state('');
  let problem = $state<Problem>();
  /** The one that is being changed, with its new values. */
  let editing = $state({ id: 0, name: '', kind: '' });
  let wrong = $state<Problem>();

  async function load() {
    resources = await everything((query) => api.GET('/api/resources', { params: { query } }), archived);
  }
  $effect(() => {
    void archived;
    void load();
  });
  $effect(() => listen(() => void load()));

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
    wrong = undefined;
    const { id, ...body } = editing;
    try {
      await data(api.PUT('/api/resources/{id}', { params: { path: { id } }, body }));
      editing.id = 0;
      await load();
    } catch (cause) {
      wrong = problemOf(cause);
    }
  }

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
        {#if editing.id === r.id}
          <form class="grid items-start gap-3 sm:grid-cols-[1fr_1fr_auto]" onsubmit={change} novalidate>
            <Field label="New name" error={wrong?.fields.name}>
              {#snippet children(tie)}<input
                  class="input w-full"
                  bind:value={editing.name}
                  {...tie}
                />{/snippet}
            </Field>
            <Field label="New kind" error={wrong?.fields.kind}>
              {#snippet children(tie)}
                <input class="input w-full" list="kinds" bind:value={editing.kind} {...tie} />
              {/snippet}
            </Field>
            <div class="flex gap-2 pt-6">
              <button class="btn btn-primary">Save</button>
              <button type="button" class="btn" onclick={() => (editing.id = 0)}>Not now</button>
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
                onclick={() => (editing = { id: r.id, name: r.name, kind: r.kind })}>change</button
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
