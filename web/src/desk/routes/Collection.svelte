<script lang="ts">
  import { tick } from 'svelte';
  import { api, data, everything, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { follow, query } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import Archive from '$lib/ui/Archive.svelte';
  import Seen from '../service/Seen.svelte';
  import History from '../trail/History.svelte';
  import { navigate, route } from '../router';

  /** A page of several services, under headings. */
  const id = $derived(route.params.id === 'new' ? 0 : Number(route.params.id));
  type Fields = Shape<'CollectionFields'>;
  const fresh: Fields = {
    title: '',
    slug: '',
    intro: '',
    staff: 0,
    parts: [{ heading: '', services: [] }],
    sites: [],
  };
  const form = new Form<Fields, Fields, Shape<'Collection'>>(
    {
      read: (id) => data(api.GET('/api/all-collections/{id}', { params: { path: { id } } })),
      save: (id, body, version) =>
        id
          ? data(
              api.PUT('/api/all-collections/{id}', { params: { path: { id }, header: over(version) }, body }),
            )
          : data(api.POST('/api/collections', { body })),
      value: ({ title, slug, intro, staff, parts, sites }) => ({
        title,
        slug,
        intro,
        staff,
        parts,
        sites: sites ?? [],
      }),
      body: (f) => f,
    },
    structuredClone(fresh),
  );
  $effect(() => {
    if (id) void form.open(id);
    else form.begin(structuredClone(fresh));
  });
  follow(() => void form.again(), ['rules']);
  const services = query(
    () => everything((query) => api.GET('/api/services', { params: { query } })),
    ['rules'],
  );
  const team = query(() => everything((query) => api.GET('/api/staff', { params: { query } })), ['rules']);
  const problem = $derived(form.problem);
  const chosen = $derived(form.value.parts.flatMap((p) => p.services));
  const nameOf = (id: number) => services.value?.find((s) => s.id === id)?.name ?? `service ${id}`;
  const left = $derived((services.value ?? []).filter((s) => !chosen.includes(s.id)));
  const parts = fields<Fields>(
    {
      title: 'Title',
      slug: 'Address',
      intro: 'Below the title',
      staff: 'Only of',
      parts: 'Services',
      sites: 'Sites',
    },
    {
      parts: (list) =>
        list
          .map((p) => `${p.heading || 'without a heading'}: ${p.services.map(nameOf).join(', ')}`)
          .join('; '),
      staff: (id) => team.value?.find((m) => m.id === id)?.name ?? 'everybody',
    },
  );

  function set(at: number, change: Partial<Fields['parts'][number]>) {
    form.value.parts = form.value.parts.map((p, i) => (i === at ? { ...p, ...change } : p));
  }
  /** Moves a service one place up or down, over headings too. */
  function shift(at: number, service: number, by: 1 | -1) {
    const list = form.value.parts.map((p) => ({ ...p, services: [...p.services] }));
    const here = list[at]?.services ?? [];
    const i = here.indexOf(service);
    const next = list[at + by];
    if (i + by >= 0 && i + by < here.length) {
      here.splice(i, 1);
      here.splice(i + by, 0, service);
    } else if (next) {
      here.splice(i, 1);
      next.services.splice(by > 0 ? 0 : next.services.length, 0, service);
    } else return;
    form.value.parts = list;
  }
  const fault = (field: string) =>
    Object.entries(problem?.fields ?? {}).find(([at]) => at === field || at.startsWith(`${field}[`))?.[1] ??
    '';

  async function save(e: SubmitEvent) {
    e.preventDefault();
    form.value.parts = form.value.parts.filter((p) => p.services.length);
    if (!form.value.parts.length) form.value.parts = [{ heading: '', services: [] }];
    const done = await form.save();
    if (done && !id && form.now) await navigate('/pages/:id', { params: { id: String(form.now.id) } });
    else if (!done) {
      await tick();
      document.querySelector<HTMLElement>('form [aria-invalid="true"]')?.focus();
    }
  }
</script>

<svelte:head><title>{form.value.title || 'A new page'} · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-[1500px] gap-7 p-6 lg:grid-cols-2">
  <form class="grid content-start gap-5" onsubmit={save} novalidate>
    <div>
      <p class="text-sm text-mute"><a class="hover:underline" href="/pages">Pages</a> ›</p>
      <h1 class="text-2xl">{form.value.title || 'A new page'}</h1>
      <p class="mt-1">
        {chosen.length === 0
          ? 'Choose the services that stand on it.'
          : `${chosen.length === 1 ? 'One service stands' : `${chosen.length} services stand`} on it, each with its next starts.`}
        {#if form.now?.page}It is at <a class="link-plain" href={form.now.page} target="_blank" rel="noopener"
            >{form.now.page}</a
          >.{/if}
      </p>
    </div>
    <fieldset class="sheet grid gap-4 p-5 sm:grid-cols-2">
      <legend class="sr-only">What it says</legend>
      <Field label="Title" error={fault('title')}>
        {#snippet children(tie)}<input
            class="input w-full"
            maxlength="120"
            bind:value={form.value.title}
            {...tie}
          />{/snippet}
      </Field>
      <Field
        label="Address"
        hint={form.now?.former.length
          ? `${form.now.former.join(', ')} ${form.now.former.length > 1 ? 'lead' : 'leads'} here too, for ever.`
          : 'Made from the title when empty.'}
        error={fault('slug')}
      >
        {#snippet children(tie)}<label class="input w-full"
            ><span class="label">/choose/</span><input bind:value={form.value.slug} {...tie} /></label
          >{/snippet}
      </Field>
      <div class="sm:col-span-2">
        <Field label="Below the title" error={fault('intro')}>
          {#snippet children(tie)}<textarea
              class="textarea w-full"
              rows="2"
              maxlength="1000"
              bind:value={form.value.intro}
              {...tie}></textarea>{/snippet}
        </Field>
      </div>
      <Field label="Only of" error={fault('staff')}>
        {#snippet children(tie)}
          <select class="select w-full" bind:value={form.value.staff} {...tie}>
            <option value={0}>everybody</option>
            {#each team.value ?? [] as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
          </select>
        {/snippet}
      </Field>
      <Field label="Sites that may show it" error={fault('sites')}>
        {#snippet children(tie)}<input
            class="input w-full"
            placeholder="none"
            spellcheck="false"
            value={(form.value.sites ?? []).join(', ')}
            onchange={(e) => (form.value.sites = e.currentTarget.value.split(/[\s,]+/).filter(Boolean))}
            {...tie}
          />{/snippet}
      </Field>
    </fieldset>
    {#each form.value.parts as part, at (at)}
      <fieldset class="sheet grid gap-3 p-5">
        <legend class="sr-only">Part {at + 1}</legend>
        <Field label="Heading" hint={at ? '' : 'Empty for none.'}>
          {#snippet children(tie)}<input
              class="input w-full"
              maxlength="120"
              value={part.heading}
              oninput={(e) => set(at, { heading: e.currentTarget.value })}
              {...tie}
            />{/snippet}
        </Field>
        <ul class="divide-y divide-base-300">
          {#each part.services as s (s)}
            <li class="flex items-center gap-3 py-1.5">
              <b class="grow">{nameOf(s)}</b>
              <button
                type="button"
                class="link-plain text-sm"
                onclick={() => shift(at, s, -1)}
                aria-label="up, {nameOf(s)}">up</button
              >
              <button
                type="button"
                class="link-plain text-sm"
                onclick={() => shift(at, s, 1)}
                aria-label="down, {nameOf(s)}">down</button
              >
              <button
                type="button"
                class="link-plain text-sm"
                onclick={() => set(at, { services: part.services.filter((o) => o !== s) })}
                aria-label="take away, {nameOf(s)}">take away</button
              >
            </li>
          {/each}
        </ul>
        {#if left.length}
          <select
            class="select w-64"
            aria-label="Add a service below {part.heading || 'this heading'}"
            value={0}
            onchange={(e) => {
              set(at, { services: [...part.services, Number(e.currentTarget.value)] });
              e.currentTarget.value = '0';
            }}
          >
            <option value={0}>add a service…</option>
            {#each left as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
          </select>
        {/if}
      </fieldset>
    {/each}
    {#if fault('parts')}<p class="text-sm font-medium text-brick" role="alert">{fault('parts')}</p>{/if}
    <button
      type="button"
      class="link-plain justify-self-start"
      onclick={() => (form.value.parts = [...form.value.parts, { heading: '', services: [] }])}
      >another heading</button
    >
    {#if id && form.now}
      <Archive
        name={form.now.title}
        archived={form.now.archived}
        effect="closes this page. The services keep their own pages, and it can be opened again."
        onchange={async (on) => {
          await data(
            api.PUT('/api/all-collections/{id}/archive', {
              params: { path: { id } },
              body: { archived: on },
            }),
          );
          await form.open(id);
        }}
      />
      <History kinds={['page']} thing={id} />
    {/if}
    <Outcome {form} parts={() => parts} />
    {#if problem && id && !form.now}<Notice tone="wrong">{problem.message}</Notice>{/if}
    <div class="sticky bottom-0 flex items-center gap-3 border-t border-edge bg-page py-3">
      <button class="btn btn-primary" disabled={!form.changed || form.busy || !chosen.length}
        >{id ? 'Save' : 'Make the page'}</button
      >
      <p class="text-sm text-mute" role="status">
        {id && form.changed ? 'Not saved yet' : form.saved ? 'Saved' : ''}
      </p>
    </div>
  </form>
  <div class="lg:sticky lg:top-4 lg:self-start">
    <Seen page={form.now?.page ?? ''} changed={form.changed} version={form.now?.version ?? 0} />
  </div>
</div>
