<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import type { Fault, Fields } from './form';

  /** The service's page: its address, what it says, how it looks, and who may show it. */
  let {
    form = $bindable(),
    fault,
    former = [],
  }: {
    form: Fields;
    fault: Fault;
    /** Addresses that the page had. */
    former?: string[];
  } = $props();

  const look = $derived(form.look ?? {});
  const set = (change: Partial<NonNullable<Fields['look']>>) => (form.look = { ...look, ...change });
  const snippet = $derived(
    `<script src="${location.origin}/embed.js" data-page="${form.slug}" async></` + 'script>',
  );
  let shown = $state.raw<Shape<'ShownAccent'>>();
  $effect(() => {
    const colour = look.accent;
    shown = undefined;
    if (!colour || !/^#[0-9a-f]{6}$/i.test(colour)) return;
    data(api.GET('/api/accent', { params: { query: { colour } } }))
      .then((a) => (shown = a))
      .catch(() => undefined);
  });
  /** What the page says in words of its own, and what it usually says. */
  const own = [
    { key: 'title', label: 'Heading of the page', usual: 'the name of the service' },
    { key: 'choose', label: 'Heading of the starts', usual: 'none' },
    { key: 'details', label: 'Heading of the form', usual: 'none' },
    { key: 'done', label: 'Heading once it is booked', usual: 'Booked' },
    { key: 'next', label: 'Button of a chosen start', usual: 'Continue', most: 40 },
    { key: 'book', label: 'Last button', usual: 'Book it', most: 40 },
  ] as const;
  const sentence = $derived(
    [
      form.slug ? `Clients book at /book/${form.slug}.` : 'Its address is made from the name.',
      form.sites?.length
        ? `${form.sites.length === 1 ? 'One site' : `${form.sites.length} sites`} may show it.`
        : 'No site is listed that may show it.',
      form.proveMail ? 'Who books proves by a code that the mail address is theirs.' : '',
    ]
      .filter(Boolean)
      .join(' '),
  );
</script>

<fieldset class="sheet grid gap-4 p-5 sm:grid-cols-2">
  <legend class="sr-only">Page and address</legend>
  <p class="sm:col-span-2"><b>Page.</b> {sentence}</p>
  <div class="sm:col-span-2">
    <Field
      label="Address of its page"
      hint={former.length
        ? `${former.join(', ')} ${former.length > 1 ? 'lead' : 'leads'} here too, for ever.`
        : form.slug
          ? 'An address that it had goes on leading here.'
          : 'Made from the name when empty.'}
      error={fault('slug')}
    >
      {#snippet children(tie)}
        <label class="input w-full"
          ><span class="label">/book/</span><input bind:value={form.slug} {...tie} /></label
        >
      {/snippet}
    </Field>
  </div>
  {#each own as h (h.key)}
    <Field label={h.label} error={fault(`look.${h.key}`)}>
      {#snippet children(tie)}<input
          class="input w-full"
          maxlength={'most' in h ? h.most : 80}
          placeholder={h.usual}
          value={look[h.key] ?? ''}
          oninput={(e) => set({ [h.key]: e.currentTarget.value })}
          {...tie}
        />{/snippet}
    </Field>
  {/each}
  <div class="sm:col-span-2">
    <Field label="Below the heading of the page" error={fault('look.intro')}>
      {#snippet children(tie)}<textarea
          class="textarea w-full"
          rows="2"
          maxlength="1000"
          placeholder="nothing"
          value={look.intro ?? ''}
          oninput={(e) => set({ intro: e.currentTarget.value })}
          {...tie}></textarea>{/snippet}
    </Field>
  </div>
  <Field label="Accent" hint={shown?.words || 'Of what is pressed last.'} error={fault('look.accent')}>
    {#snippet children(tie)}
      <span class="flex flex-wrap items-center gap-2">
        <input
          class="input w-28"
          maxlength="7"
          placeholder="as usual"
          spellcheck="false"
          value={look.accent ?? ''}
          oninput={(e) => set({ accent: e.currentTarget.value.trim() })}
          {...tie}
        />
        {#if shown}
          <span class="chip" style="background:{shown.light};color:{shown.onLight}">by day</span>
          <span class="chip" style="background:{shown.dark};color:{shown.onDark}">in dark</span>
        {/if}
      </span>
    {/snippet}
  </Field>
  <Field label="Light or dark" error={fault('look.scheme')}>
    {#snippet children(tie)}
      <select
        class="select w-full"
        value={look.scheme ?? ''}
        onchange={(e) => set({ scheme: e.currentTarget.value as '' | 'light' | 'dark' })}
        {...tie}
      >
        <option value="">as each client likes it</option>
        <option value="light">always light</option>
        <option value="dark">always dark</option>
      </select>
    {/snippet}
  </Field>
  <div class="sm:col-span-2">
    <Field
      label="Sites that may show the page"
      hint="An address each, as https://workshop.example. No other site can frame it, but one that shows a page of several services leads on to it there."
      error={fault('sites')}
    >
      {#snippet children(tie)}
        <input
          class="input w-full"
          placeholder="none"
          autocomplete="off"
          spellcheck="false"
          value={(form.sites ?? []).join(', ')}
          onchange={(e) =>
            (form.sites = e.currentTarget.value
              .split(/[\s,]+/)
              .map((s) => s.trim())
              .filter(Boolean))}
          {...tie}
        />
      {/snippet}
    </Field>
    {#if form.sites?.length && form.slug}
      <p class="mt-2 text-sm text-mute">
        Put this where it is to stand; with <code>data-over="Book a visit"</code> in it, it is a button:
      </p>
      <pre class="snippet">{snippet}</pre>
    {/if}
  </div>
  <label class="flex items-center gap-2 sm:col-span-2">
    <input class="checkbox checkbox-sm checkbox-primary" type="checkbox" bind:checked={form.proveMail} />
    Clients prove by a code that their mail address is theirs
  </label>
</fieldset>

<style>
  .chip {
    padding: 6px 12px;
    border-radius: 8px 8px 2px 2px;
    font-size: 0.875rem;
    font-weight: 650;
  }
  .snippet {
    margin-top: 4px;
    padding: 8px 12px;
    border-radius: 8px 8px 2px 2px;
    background: var(--color-base-200);
    font-size: 0.8125rem;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
</style>
