<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { over } from '$lib/api/form.svelte';
  import { follow, query } from '$lib/api/query.svelte';
  import Days from '$lib/hours/Days.svelte';
  import { daysOver } from '$lib/hours/days';
  import { HoursEditor } from '$lib/hours/editor.svelte';
  import HoursForm from '$lib/hours/HoursForm.svelte';
  import HoursSentence from '$lib/hours/HoursSentence.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { route } from '../router';

  const id = $derived(Number(route.params.id));
  const person = query(() => data(api.GET('/api/staff/{id}', { params: { path: { id } } })));
  const member = $derived(person.value?.id === id ? person.value : undefined);
  const known = $derived(member?.id);
  const today = $derived(member?.today ?? '');

  const editor = new HoursEditor(
    {
      read: (id) => data(api.GET('/api/staff/{id}/hours', { params: { path: { id } } })),
      save: (id, body, version, accept) =>
        data(
          api.PUT('/api/staff/{id}/hours', {
            params: { path: { id }, query: { accept }, header: over(version) },
            body,
          }),
        ),
    },
    () => today,
  );
  const form = editor.form;
  const daysForm = daysOver({
    read: (id) => data(api.GET('/api/staff/{id}/days', { params: { path: { id } } })),
    save: (id, body, version, accept) =>
      data(
        api.PUT('/api/staff/{id}/days', {
          params: { path: { id }, query: { accept }, header: over(version) },
          body,
        }),
      ),
  });
  const shut = query(() => data(api.GET('/api/closures')));

  const { drafts, draft } = $derived(editor);
  const days = $derived(daysForm.now ?? daysForm.value);

  $effect(() => {
    if (known !== id) return;
    void form.open(id);
    void daysForm.open(id);
  });
  // What others change is shown, unless something here has not been saved.
  follow(() => {
    editor.again();
    void daysForm.again();
  });
</script>

{#if person.problem && !member}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{person.problem.message}</Notice></div>
{:else if form.problem && !form.now}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{form.problem.message}</Notice></div>
{:else if member && form.now && draft}
  <PersonFrame {member} here="hours">
    {#snippet sentence()}
      <HoursSentence {editor} {days} {today} zone={member?.zone ?? ''} whose="this person’s" />
    {/snippet}
    <HoursForm {editor} {id} {today} />
    <Days form={daysForm} {today} {drafts} closures={shut.value?.items ?? []} />
  </PersonFrame>
{/if}
