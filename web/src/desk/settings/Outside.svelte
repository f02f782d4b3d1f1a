<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import FieldNames from '$lib/ui/FieldNames.svelte';

  /** What copies of visits say in outside calendars, with an example that follows what is typed. */
  let { texts = $bindable(), faults }: { texts: Shape<'OutsideTexts'>; faults: Record<string, string> } =
    $props();

  let example = $state<Shape<'OutsideExample'>>();
  let wrong = $state<Record<string, string>>({});
  let turn = 0;
  $effect(() => {
    const body = { ...texts };
    if (!body.title && !body.description && !body.place) return;
    const mine = ++turn;
    const timer = setTimeout(() => {
      data(api.POST('/api/settings/outside', { body }))
        .then((e) => {
          if (mine === turn) [example, wrong] = [e, {}];
        })
        .catch((cause: unknown) => {
          if (mine === turn) wrong = problemOf(cause).fields;
        });
    }, 250);
    return () => clearTimeout(timer);
  });
  const fault = (field: string) => wrong[field] ?? faults[`outside.${field}`] ?? '';
</script>

<fieldset class="grid gap-3 border-t border-base-300 pt-4">
  <legend class="sr-only">What a visit says outside</legend>
  <p class="font-bold">What a visit says in your team’s calendars</p>
  <div class="grid items-start gap-3 sm:grid-cols-2">
    <Field label="Title" error={fault('title')}>
      {#snippet children(tie)}<input class="input w-full" bind:value={texts.title} {...tie} />{/snippet}
    </Field>
    <Field label="Place" error={fault('place')}>
      {#snippet children(tie)}<input class="input w-full" bind:value={texts.place} {...tie} />{/snippet}
    </Field>
  </div>
  <Field label="Description" error={fault('description')}>
    {#snippet children(tie)}
      <textarea class="textarea w-full" rows="2" bind:value={texts.description} {...tie}></textarea>
    {/snippet}
  </Field>
  {#if example}
    <div class="rounded-sm bg-base-200 px-3 py-2 text-sm">
      <p class="text-mute">{example.of ? `As with booking ${example.of}` : 'As an example'}</p>
      <p class="font-bold break-words">{example.title}</p>
      {#if example.place}<p class="break-words">{example.place}</p>{/if}
      {#if example.description}<p class="break-words whitespace-pre-line">{example.description}</p>{/if}
    </div>
    <FieldNames fields={example.fields} />
  {/if}
</fieldset>
