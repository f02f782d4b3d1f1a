<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Files from './Files.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { put, type Said } from './ask';

  /** A service's questions with fields for their answers: those that are put, as answers are given. */
  let {
    asks,
    said = $bindable(),
    faults,
    optional = false,
    slug = '',
  }: {
    asks: Shape<'Question'>[];
    said: Said;
    /** What is wrong, by the keys of questions. */
    faults: Record<string, string>;
    /** Nothing needs to be said here. */
    optional?: boolean;
    /** The page to which files are handed over; empty where none can be. */
    slug?: string;
  } = $props();

  const one = (key: string) => said[key]?.[0] ?? '';
  const say = (key: string, ...values: string[]) => (said = { ...said, [key]: values });
  const label = (q: Shape<'Question'>) => (q.required || optional ? q.label : `${q.label} (if you like)`);
  const options = (q: Shape<'Question'>): [string, string][] =>
    q.kind === 'yes-no'
      ? [
          ['yes', 'Yes'],
          ['no', 'No'],
        ]
      : (q.options ?? []).map((o) => [o, o]);
</script>

{#each put(asks, said) as q (q.key)}
  {#if q.kind === 'one' || q.kind === 'yes-no' || q.kind === 'several'}
    <fieldset
      class="grid gap-1.5"
      aria-describedby={faults[q.key] ? `wrong-${q.key}` : undefined}
      data-invalid={faults[q.key] ? '' : undefined}
    >
      <legend class="mb-1 text-sm font-semibold">{label(q)}</legend>
      {#if q.help}<p class="text-sm text-mute">{q.help}</p>{/if}
      <div class="flex flex-wrap gap-x-6 gap-y-2">
        {#each options(q) as [value, words] (value)}
          <label class="flex items-center gap-2">
            {#if q.kind === 'several'}
              <input
                class="checkbox checkbox-sm checkbox-primary"
                type="checkbox"
                checked={said[q.key]?.includes(value)}
                onchange={(e) =>
                  say(
                    q.key,
                    ...(said[q.key] ?? []).filter((v) => v !== value),
                    ...(e.currentTarget.checked ? [value] : []),
                  )}
              />
            {:else}
              <input
                class="radio radio-sm radio-primary"
                type="radio"
                name="ask-{q.key}"
                checked={one(q.key) === value}
                onchange={() => say(q.key, value)}
              />
            {/if}
            {words}
          </label>
        {/each}
      </div>
      {#if faults[q.key]}<p class="text-sm font-medium text-brick" id="wrong-{q.key}" role="alert">
          {faults[q.key]}
        </p>{/if}
    </fieldset>
  {:else if q.kind === 'file'}
    {#if slug}
      <Files
        {slug}
        label={label(q)}
        help={q.help ?? ''}
        error={faults[q.key]}
        tokens={said[q.key] ?? []}
        onchange={(tokens) => say(q.key, ...tokens)}
      />
    {/if}
  {:else}
    <Field label={label(q)} hint={q.help} error={faults[q.key]}>
      {#snippet children(tie)}
        {#if q.kind === 'long' || q.kind === 'address'}
          <textarea
            class="textarea w-full"
            rows="3"
            maxlength="4000"
            autocomplete={q.kind === 'address' ? 'street-address' : 'off'}
            value={one(q.key)}
            oninput={(e) => say(q.key, e.currentTarget.value)}
            {...tie}></textarea>
        {:else if q.kind === 'date'}
          <DateInput bind:value={() => one(q.key), (d) => say(q.key, d)} {...tie} />
        {:else}
          <input
            class="input {q.kind === 'number' ? 'w-32' : 'w-full'}"
            type={q.kind === 'telephone' ? 'tel' : 'text'}
            inputmode={q.kind === 'number' ? 'decimal' : undefined}
            autocomplete={q.kind === 'telephone' ? 'tel' : 'off'}
            maxlength="300"
            value={one(q.key)}
            oninput={(e) => say(q.key, e.currentTarget.value)}
            {...tie}
          />
        {/if}
      {/snippet}
    </Field>
  {/if}
{/each}
