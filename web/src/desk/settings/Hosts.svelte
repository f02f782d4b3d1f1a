<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { query } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';

  /** The calendar hosts that are known by a name. */
  type Fields = Shape<'HostEntry'>;
  /** As they are typed: lists in one line, and how people sign in side by side with the rest. */
  type Typed = {
    name: string;
    address: string;
    domains: string;
    scopes: string;
    clientSecret: string;
  } & Omit<Shape<'SignInFields'>, 'scopes'>;
  const empty: Typed = {
    ...{ name: '', address: '', domains: '', scopes: '', clientSecret: '' },
    ...{ clientId: '', issuer: '', tellsIssuer: false, authorize: '', token: '', revoke: '' },
  };
  const listed = (text: string, between: RegExp) => text.split(between).filter(Boolean);
  const ask = () => data(api.GET('/api/hosts'));
  const list = query(ask, ['calendars']);
  const all = $derived(list.value?.items ?? []);

  const form = new Form<Typed, Fields, Shape<'CalendarHost'>>(
    {
      save: (id, body, version) =>
        id
          ? data(api.PUT('/api/hosts/{id}', { params: { path: { id }, header: over(version) }, body }))
          : data(api.POST('/api/hosts', { body })),
      value: ({ name, address, domains, signIn: { scopes, ...signIn } }) => ({
        ...{ name, address, domains: domains.join(', '), clientSecret: '' },
        ...signIn,
        scopes: scopes.join(' '),
      }),
      body: ({ name, address, domains, clientSecret, scopes, ...signIn }) => ({
        ...{ name, address, clientSecret, domains: listed(domains, /[\s,;]+/) },
        signIn: { ...signIn, scopes: listed(scopes, /\s+/) },
      }),
    },
    empty,
  );
  const parts = fields<Fields>({
    name: 'Name',
    address: 'Address',
    domains: 'Mail domains',
    signIn: 'Sign-in',
    clientSecret: 'Client secret',
  });
  /** The one that is being changed; 0 for a new one. */
  let open = $state<number>();
  let problem = $state<Problem>();
  /** Whether the fields of how people sign in are open. */
  let signing = $state(false);
  let copied = $state(false);
  let looking = $state('');
  async function lookUp() {
    looking = '';
    try {
      const found = await data(api.POST('/api/hosts/metadata', { body: { issuer: form.value.issuer } }));
      const { authorize, token, revoke, tellsIssuer } = found;
      Object.assign(form.value, { authorize, token, revoke, tellsIssuer });
      form.value.scopes ||= found.scopes.join(' ');
    } catch (cause) {
      looking = problemOf(cause).fields['signIn.issuer'] ?? problemOf(cause).message;
    }
  }
  async function copy() {
    await navigator.clipboard.writeText(list.value?.returnAddress ?? '');
    copied = true;
  }
  async function attempt(h: Shape<'NamedHost'>) {
    await doing(async () => {
      const to = await data(api.POST('/api/hosts/{id}/trial', { params: { path: { id: h.id } } }));
      location.assign(to.address);
    });
  }

  /** What was removed last, so that it can be brought back. */
  let gone = $state<Shape<'CalendarHost'>>();

  function edit(h?: Shape<'CalendarHost'>) {
    [open, gone, problem] = [h?.id ?? 0, undefined, undefined];
    if (h) form.take(h, h.id);
    else form.begin({ ...empty });
    [signing, copied] = [!!h?.letsSignIn, false];
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
  async function remove(h: Shape<'CalendarHost'>) {
    open = undefined;
    if (await doing(() => api.DELETE('/api/hosts/{id}', { params: { path: { id: h.id } } }))) gone = h;
  }
  async function bringBack({ name, address, domains, signIn }: Shape<'CalendarHost'>) {
    if (await doing(() => api.POST('/api/hosts', { body: { name, address, domains, signIn } })))
      gone = undefined;
  }

  const wrong = $derived(form.problem?.fields ?? {});
  const secretHint = $derived(form.now?.hasSecret ? 'Empty to keep the present one.' : 'Kept encrypted.');
  const wrongScope = $derived(
    Object.entries(wrong).find(([field]) => field.startsWith('signIn.scopes'))?.[1],
  );
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
    {#if signing}
      <fieldset class="grid items-start gap-3 border-t border-base-300 pt-3 sm:col-span-2 sm:grid-cols-2">
        <legend class="sr-only">How people sign in</legend>
        <p class="text-sm text-mute sm:col-span-2">
          By OAuth 2. Register Niche at the host; there it asks for this return address:
          {#if list.value?.returnAddress}
            <code class="block break-all">{list.value.returnAddress}</code>
            {#if navigator.clipboard}<button type="button" class="link-plain" onclick={() => void copy()}
                >{copied ? 'copied' : 'copy'}</button
              >{/if}
          {:else}
            <b>Niche’s own address is not known. Whoever runs it starts it with --url.</b>
          {/if}
        </p>
        <div class="sm:col-span-2">
          <Field
            label="Issuer"
            hint="With it the addresses below can be looked up."
            error={looking || wrong['signIn.issuer']}
          >
            {#snippet children(tie)}
              <div class="flex gap-2">
                <input
                  class="input w-full"
                  inputmode="url"
                  autocomplete="off"
                  bind:value={form.value.issuer}
                  {...tie}
                />
                <button type="button" class="btn" disabled={!form.value.issuer} onclick={() => void lookUp()}
                  >Look up</button
                >
              </div>
            {/snippet}
          </Field>
        </div>
        <Field label="Address of consent" error={wrong['signIn.authorize']}>
          {#snippet children(tie)}
            <input
              class="input w-full"
              type="text"
              autocomplete="off"
              bind:value={form.value.authorize}
              {...tie}
            />
          {/snippet}
        </Field>
        <Field label="Address of tokens" error={wrong['signIn.token']}>
          {#snippet children(tie)}
            <input
              class="input w-full"
              type="text"
              autocomplete="off"
              bind:value={form.value.token}
              {...tie}
            />
          {/snippet}
        </Field>
        <Field label="Address to give tokens back" hint="Can be left empty." error={wrong['signIn.revoke']}>
          {#snippet children(tie)}
            <input
              class="input w-full"
              type="text"
              autocomplete="off"
              bind:value={form.value.revoke}
              {...tie}
            />
          {/snippet}
        </Field>
        <Field label="Scopes" hint="With spaces between them." error={wrongScope}>
          {#snippet children(tie)}
            <input
              class="input w-full"
              type="text"
              autocomplete="off"
              bind:value={form.value.scopes}
              {...tie}
            />
          {/snippet}
        </Field>
        <Field label="Client id" error={wrong['signIn.clientId']}>
          {#snippet children(tie)}
            <input
              class="input w-full"
              type="text"
              autocomplete="off"
              bind:value={form.value.clientId}
              {...tie}
            />
          {/snippet}
        </Field>
        <Field label="Client secret" hint={secretHint} error={wrong.clientSecret}>
          {#snippet children(tie)}
            <input
              class="input w-full"
              type="password"
              autocomplete="new-password"
              bind:value={form.value.clientSecret}
              {...tie}
            />
          {/snippet}
        </Field>
        <label class="flex items-center gap-2 sm:col-span-2">
          <input type="checkbox" class="checkbox checkbox-sm" bind:checked={form.value.tellsIssuer} />
          The host says with every answer who it is
        </label>
      </fieldset>
    {:else}
      <button
        type="button"
        class="link-plain justify-self-start text-sm sm:col-span-2"
        onclick={() => (signing = true)}>Let people sign in there, without app passwords</button
      >
    {/if}
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
                  {h.address}{h.letsSignIn ? '; people sign in there' : ''}{h.domains.length
                    ? `; for ${h.domains.map((d) => `@${d}`).join(', ')}`
                    : ''}
                </p>
              </div>
              {#if h.letsSignIn}
                <button
                  type="button"
                  class="link-plain text-sm"
                  aria-label="Try {h.name}"
                  onclick={() => void attempt(h)}>try it</button
                >
              {/if}
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
      {gone.name} is removed; links to it stay{gone.letsSignIn
        ? ', but those who signed in there are not let in again'
        : ''}.
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
