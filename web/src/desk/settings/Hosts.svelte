<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { query } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';

  /** The calendar hosts that are known by a name. */
  type Fields = Shape<'HostFields'>;
  /** As they are typed: the domains in one line. */
  type Typed = Omit<Fields, 'domains'> & { domains: string };
  const ask = () => data(api.GET('/api/hosts'));
  const list = query(ask, ['calendars']);
  const all = $derived(list.value?.items ?? []);

  const form = new Form<Typed, Fields, Shape<'CalendarHost'>>(
    {
      save: (id, body, version) =>
        id
          ? data(api.PUT('/api/hosts/{id}', { params: { path: { id }, header: over(version) }, body }))
          : data(api.POST('/api/hosts', { body })),
      value: ({ name, address, domains }) => ({ name, address, domains: domains.join(', ') }),
      body: ({ domains, ...rest }) => ({ ...rest, domains: domains.split(/[\s,;]+/).filter(Boolean) }),
    },
    { name: '', address: '', domains: '' },
  );
  const parts = fields<Fields>({ name: 'Name', address: 'Address', domains: 'Mail domains' });
  /** The one that is being changed; 0 for a new one. */
  let open = $state<number>();
  let problem = $state<Problem>();
  /** What was removed last, so that it can be brought back. */
  let gone = $state<Shape<'NamedHost'>>();

  function edit(h?: Shape<'CalendarHost'>) {
    [open, gone, problem] = [h?.id ?? 0, undefined, undefined];
    if (h) form.take(h, h.id);
    else form.begin({ name: '', address: '', domains: '' });
  }
  async function save(e: SubmitEvent) {
    e.preventDefault();
    await form.save();
  }
  // Also a conflict that was settled ends the editing.
  $effect(() => {
    if (!form.saved) return;
    open = undefined;
    void list.ask(ask);
  });

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
  async function remove(h: Shape<'NamedHost'>) {
    open = undefined;
    if (await doing(() => api.DELETE('/api/hosts/{id}', { params: { path: { id: h.id } } }))) gone = h;
  }
  async function bringBack({ name, address, domains }: Shape<'NamedHost'>) {
    if (await doing(() => api.POST('/api/hosts', { body: { name, address, domains } }))) gone = undefined;
  }

  const wrong = $derived(form.problem?.fields ?? {});
  const wrongDomain = $derived(Object.entries(wrong).find(([field]) => field.startsWith('domains'))?.[1]);
</script>

{#snippet editor()}
  <form class="grid items-start gap-3 sm:grid-cols-2" onsubmit={save} novalidate>
    <Field label="Name" hint="As your team calls it." error={wrong.name}>
      {#snippet children(tie)}
        <input class="input w-full" autocomplete="off" bind:value={form.value.name} {...tie} />
      {/snippet}
    </Field>
    <Field label="Host or CalDAV address" hint="As in calendar.example" error={wrong.address}>
      {#snippet children(tie)}
        <input
          class="input w-full"
          inputmode="url"
          autocomplete="off"
          bind:value={form.value.address}
          {...tie}
        />
      {/snippet}
    </Field>
    <div class="sm:col-span-2">
      <Field
        label="Mail domains"
        hint="Whoever has such a mail address has their calendars here. Several with commas between them, or none."
        error={wrongDomain}
      >
        {#snippet children(tie)}
          <input class="input w-full" autocomplete="off" bind:value={form.value.domains} {...tie} />
        {/snippet}
      </Field>
    </div>
    <div class="flex gap-2 sm:col-span-2">
      <button class="btn btn-primary" disabled={form.busy}>{open ? 'Save' : 'Add'}</button>
      <button type="button" class="btn" onclick={() => (open = undefined)}>Not now</button>
    </div>
    <div class="not-has-[>*]:hidden sm:col-span-2"><Outcome {form} parts={() => parts} quiet /></div>
  </form>
{/snippet}

<section class="grid content-start gap-4" aria-labelledby="hosts">
  <div>
    <h2 class="text-2xl" id="hosts">Calendar hosts</h2>
    <p class="text-mute">
      {all.length
        ? 'Links to these hosts are told by name, and nobody has to type an address.'
        : 'Name the host where your team has its calendars. Links to it are then told by name, and nobody has to type its address.'}
    </p>
  </div>
  {#if all.length}
    <ul class="sheet divide-y divide-base-300">
      {#each all as h (h.id)}
        <li class="px-4 py-2.5">
          {#if open === h.id}
            {@render editor()}
          {:else}
            <div class="flex flex-wrap items-baseline gap-x-3 gap-y-1">
              <div class="min-w-48 grow">
                <b class="break-words">{h.name}</b>
                <p class="text-sm break-words text-mute">
                  {h.address}{h.domains.length ? `; for ${h.domains.map((d) => `@${d}`).join(', ')}` : ''}
                </p>
              </div>
              <button
                type="button"
                class="link-plain text-sm"
                aria-label="Change {h.name}"
                onclick={() => edit(h)}>change</button
              >
              <button
                type="button"
                class="link-plain text-sm"
                aria-label="Remove {h.name}"
                onclick={() => void remove(h)}>remove</button
              >
            </div>
          {/if}
        </li>
      {/each}
    </ul>
  {/if}
  {#if gone}
    <Notice>
      {gone.name} is removed; links to it stay.
      <button type="button" class="link-plain" onclick={() => gone && void bringBack(gone)}
        >Bring it back</button
      >
    </Notice>
  {/if}
  {#if open === 0}
    {@render editor()}
  {:else}
    <button type="button" class="btn justify-self-start" onclick={() => edit()}>Add a calendar host</button>
  {/if}
  {#if problem}<Notice tone="wrong">{problem.message}</Notice>{/if}
</section>
