<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { query } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import Told from '$lib/ui/Told.svelte';
  import { moment } from './moments';

  /** Who can sign in to the desk. */
  type Listed = Shape<'ListedAdministrator'>;
  const ask = () => data(api.GET('/api/administrators'));
  const list = query(ask, ['time']);
  const all = $derived(list.value?.items ?? []);
  let name = $state('');
  let email = $state('');
  let problem = $state<Problem>();
  type Fields = Shape<'AdministratorFields'>;
  /** The one whose details are being changed, and the one who is about to be removed. */
  const editing = new Form<Fields, Fields, Listed>(
    {
      save: (id, body, version) =>
        data(api.PUT('/api/administrators/{id}', { params: { path: { id }, header: over(version) }, body })),
      value: ({ name, email }) => ({ name, email }),
      body: (fields) => fields,
    },
    { name: '', email: '' },
  );
  const parts = fields<Fields>({ name: 'Name', email: 'Mail address' });
  let open = $state(0);
  let leaving = $state(0);
  let way = $state<{ name: string; address: string }>();

  /** Does something, and shows what came of it. */
  async function doing(act: () => Promise<unknown>): Promise<boolean> {
    problem = undefined;
    try {
      await act();
      await list.ask(ask);
      return true;
    } catch (cause) {
      problem = problemOf(cause);
      return false;
    }
  }

  const told = (who: string, w: Shape<'WayIn'>) => (way = { name: who, address: location.origin + w.path });

  async function add(e: SubmitEvent) {
    e.preventDefault();
    const done = await doing(async () =>
      told(name, await data(api.POST('/api/administrators', { body: { name, email } }))),
    );
    if (done) [name, email] = ['', ''];
  }

  const askAgain = (a: Listed) =>
    doing(async () =>
      told(
        a.name,
        await data(api.POST('/api/administrators/{id}/way-in', { params: { path: { id: a.id } } })),
      ),
    );

  function edit(a: Listed) {
    open = a.id;
    editing.take(a, a.id);
  }

  async function change(e: SubmitEvent) {
    e.preventDefault();
    await editing.save();
  }
  // Also a conflict that was settled ends the editing.
  $effect(() => {
    if (!editing.saved) return;
    open = 0;
    void list.ask(ask);
  });

  async function remove(id: number) {
    leaving = 0;
    await doing(() => api.DELETE('/api/administrators/{id}', { params: { path: { id } } }));
  }

  function stands(a: Listed): string {
    if (a.state === 'asked') return `has an address to come in by, until ${moment(a.until)}`;
    if (a.state === 'lapsed') return 'their address to come in by has ended';
    return a.seen ? `last here ${moment(a.seen)}` : 'not signed in anywhere';
  }
</script>

<section class="grid content-start gap-4" aria-labelledby="administrators">
  <div>
    <h2 class="text-2xl" id="administrators">Administrators</h2>
    <p class="text-mute">
      {#if all.length === 1}You alone look after this desk. Add somebody for when you are away.{:else}{all.length}
        people look after this desk. All see and may do the same.{/if}
    </p>
  </div>
  {#if way}
    <Told title="Hand this address to {way.name}" lines={[way.address]} ondone={() => (way = undefined)}>
      It works once, for 7 days, and is not shown again. Behind it they choose a password.
    </Told>
  {/if}
  <ul class="sheet divide-y divide-base-300">
    {#each all as a (a.id)}
      <li class="grid gap-2 px-4 py-2.5">
        {#if open === a.id}
          <form class="grid items-start gap-3 sm:grid-cols-2" onsubmit={change} novalidate>
            <Field label="Name" error={editing.problem?.fields.name}>
              {#snippet children(tie)}<input
                  class="input w-full"
                  bind:value={editing.value.name}
                  {...tie}
                />{/snippet}
            </Field>
            <Field label="Mail address" error={editing.problem?.fields.email}>
              {#snippet children(tie)}
                <input class="input w-full" type="email" bind:value={editing.value.email} {...tie} />
              {/snippet}
            </Field>
            <div class="flex gap-2 sm:col-span-2">
              <button class="btn btn-primary" disabled={editing.busy}>Save</button>
              <button type="button" class="btn" onclick={() => (open = 0)}>Not now</button>
            </div>
            <div class="not-has-[>*]:hidden sm:col-span-2">
              <Outcome form={editing} parts={() => parts} quiet />
            </div>
          </form>
        {:else}
          <div class="flex flex-wrap items-baseline gap-x-3 gap-y-1">
            <div class="min-w-48 grow">
              <b class="break-words">{a.name}</b>{#if a.self}<span class="text-mute">, you</span>{/if}
              <p class="text-sm break-words text-mute">
                {a.email}; {stands(a)}{#if a.state === 'in'}; {a.secured
                    ? 'with a second factor'
                    : 'by password alone'}{/if}
              </p>
            </div>
            {#if a.state !== 'in'}
              <button type="button" class="link-plain text-sm" onclick={() => void askAgain(a)}
                >new address</button
              >
            {/if}
            <button
              type="button"
              class="link-plain text-sm"
              aria-label="Change {a.name}"
              onclick={() => edit(a)}>change</button
            >
            {#if !a.self}
              <button
                type="button"
                class="link-plain text-sm"
                aria-label="Remove {a.name}"
                onclick={() => (leaving = a.id)}>remove</button
              >
            {/if}
          </div>
          {#if leaving === a.id}
            <div class="flex flex-wrap items-center gap-3 rounded-sm bg-gold-soft px-3 py-2">
              <p class="grow">{a.name} is signed out everywhere and cannot come in again.</p>
              <button type="button" class="btn btn-sm btn-primary" onclick={() => void remove(a.id)}
                >Remove</button
              >
              <button type="button" class="btn btn-sm" onclick={() => (leaving = 0)}>Keep</button>
            </div>
          {/if}
        {/if}
      </li>
    {/each}
  </ul>
  <form class="grid items-start gap-3 sm:grid-cols-[1fr_1fr_auto]" onsubmit={add} novalidate>
    <Field label="Name" error={problem?.fields.name}>
      {#snippet children(tie)}<input
          class="input w-full"
          autocomplete="off"
          bind:value={name}
          {...tie}
        />{/snippet}
    </Field>
    <Field label="Mail address" error={problem?.fields.email}>
      {#snippet children(tie)}
        <input class="input w-full" type="email" autocomplete="off" bind:value={email} {...tie} />
      {/snippet}
    </Field>
    <button class="btn mt-6">Add</button>
  </form>
  {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong">{problem.message}</Notice
    >{/if}
</section>
