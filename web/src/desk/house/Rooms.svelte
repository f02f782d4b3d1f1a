<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** Rooms and equipment, by kind. */
  let resources = $state<Shape<'Resource'>[]>([]);
  let name = $state('');
  let kind = $state('');
  let problem = $state<Problem>();
  let archived = $state(false);

  async function load() {
    resources = (await data(api.GET('/api/resources', { params: { query: { archived } } }))).items;
  }
  $effect(() => {
    void archived;
    void load();
  });

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
</script>

<section class="grid content-start gap-4" aria-labelledby="rooms">
  <div>
    <h2 class="text-2xl" id="rooms">Rooms and equipment</h2>
    <p class="text-mute">A visit takes one of each kind that its service needs, and holds it alone.</p>
  </div>
  <ul class="sheet divide-y divide-base-300">
    {#each resources as r (r.id)}
      <li class="flex items-baseline gap-3 px-4 py-2.5">
        <b>{r.name}</b> <span class="text-mute">{r.kind}</span>
        <button
          type="button"
          class="link-plain ml-auto text-sm"
          aria-label="{archived ? 'Bring back' : 'Archive'} {r.name}"
          onclick={() => archive(r.id, !archived)}>{archived ? 'bring back' : 'archive'}</button
        >
      </li>
    {:else}
      <li class="px-4 py-3 text-mute">
        {#if archived}Nothing is archived.{:else}None yet. Add the first one below; then say on a service that
          it needs its kind.{/if}
      </li>
    {/each}
  </ul>
  <label class="flex items-center gap-2 text-sm">
    <input class="checkbox checkbox-sm checkbox-primary" type="checkbox" bind:checked={archived} />
    Show what is archived
  </label>
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
