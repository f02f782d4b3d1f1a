<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import type { Shape } from '$lib/api/client';
  import { hueNames, type Fault, type Fields } from './form';

  /** What the service is, as clients read it. */
  let {
    form = $bindable(),
    fault,
    others,
  }: {
    form: Fields;
    fault: Fault;
    /** The other services, whose colours are taken. */
    others: Shape<'Service'>[];
  } = $props();

  const same = (hue: number) => others.filter((s) => s.hue === hue).map((s) => s.name);
  const sharers = $derived(same(form.hue));
</script>

<fieldset class="sheet grid gap-4 p-5 md:grid-cols-2">
  <legend class="sr-only">The visit</legend>
  <p class="md:col-span-2">
    <b>The visit.</b>
    {form.paused
      ? 'Nothing of it can be booked for now; what is booked stays.'
      : `On the wall it is ${(hueNames[form.hue] ?? '').toLowerCase()}.`}
  </p>
  <Field label="Name" error={fault('name')}>
    {#snippet children(tie)}<input class="input w-full" bind:value={form.name} {...tie} />{/snippet}
  </Field>
  <label class="flex items-center gap-2 self-end pb-2 font-semibold">
    <input class="checkbox checkbox-sm checkbox-primary" type="checkbox" bind:checked={form.paused} />
    Paused for now
  </label>
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
</fieldset>

<style>
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
