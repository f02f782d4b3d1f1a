<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import type { Shape } from '$lib/api/client';
  import { hueNames, type Fault, type Fields } from './form';

  /** What the service is, as clients read it. */
  let {
    form = $bindable(),
    fault,
    others,
    former = [],
  }: {
    form: Fields;
    fault: Fault;
    /** The other services, whose colours are taken. */ others: Shape<'Service'>[];
    /** Addresses that the page had. */
    former?: string[];
  } = $props();

  const same = (hue: number) => others.filter((s) => s.hue === hue).map((s) => s.name);
  const snippet = $derived(
    `<script src="${location.origin}/embed.js" data-page="${form.slug}" async></` + 'script>',
  );
  const sharers = $derived(same(form.hue));
</script>

<fieldset class="sheet grid gap-4 p-5 md:grid-cols-2 2xl:grid-cols-3">
  <legend class="sr-only">What it is</legend>
  <Field label="Name" error={fault('name')}>
    {#snippet children(tie)}<input class="input w-full" bind:value={form.name} {...tie} />{/snippet}
  </Field>
  <Field label="Where" hint="As clients read it." error={fault('place')}>
    {#snippet children(tie)}<input class="input w-full" bind:value={form.place} {...tie} />{/snippet}
  </Field>
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
  <div class="md:col-span-2">
    <p class="mb-1 text-sm font-semibold" id="hue">Colour on the wall</p>
    <div class="flex flex-wrap gap-2" role="radiogroup" aria-labelledby="hue">
      {#each hueNames as name, i (name)}
        <label class="hue" style="--hue:var(--color-hue-{i})" title={[name, ...same(i)].join(', as ')}>
          <input type="radio" name="hue" value={i} bind:group={form.hue} aria-label={name} />
        </label>
      {/each}
    </div>
    {#if sharers.length}
      <p class="mt-1.5 text-sm text-mute">
        {sharers[0]}{sharers.length > 1 ? ` and ${sharers.length - 1} more` : ''} already {sharers.length > 1
          ? 'have'
          : 'has'} this colour.
      </p>
    {/if}
  </div>
  <div class="md:col-span-2 2xl:col-span-3">
    <Field
      label="Sites that may show the page"
      hint="An address each, as https://workshop.example. No other site can frame it."
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
  <label class="flex items-center gap-2 self-end pb-1 font-semibold">
    <input class="checkbox checkbox-sm checkbox-primary" type="checkbox" bind:checked={form.paused} />
    Paused for now
  </label>
</fieldset>

<style>
  .snippet {
    margin-top: 4px;
    padding: 8px 12px;
    border-radius: 8px 8px 2px 2px;
    background: var(--color-base-200);
    font-size: 0.8125rem;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .hue {
    width: 30px;
    height: 34px;
    border-radius: 8px 8px 2px 2px;
    background: var(--hue);
    cursor: pointer;
  }
  .hue:has(:checked) {
    box-shadow:
      0 0 0 2px var(--color-base-100),
      0 0 0 4px var(--color-ink);
  }
  .hue:has(:focus-visible) {
    outline: 2px solid var(--color-primary);
    outline-offset: 5px;
  }
  .hue input {
    appearance: none;
  }
</style>
