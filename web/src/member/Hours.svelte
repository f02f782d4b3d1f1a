<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { over } from '$lib/api/form.svelte';
  import { follow, query } from '$lib/api/query.svelte';
  import Days from '$lib/hours/Days.svelte';
  import { daysOver } from '$lib/hours/days';
  import { HoursEditor } from '$lib/hours/editor.svelte';
  import HoursForm from '$lib/hours/HoursForm.svelte';
  import HoursSentence from '$lib/hours/HoursSentence.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import HoursKept from './HoursKept.svelte';

  /** The own hours and days: to change, or as the desk keeps them. */
  let { me }: { me: Shape<'Myself'> } = $props();

  const editor = new HoursEditor(
    {
      read: () => data(api.GET('/api/my/hours')),
      save: (_, body, version, accept) =>
        data(api.PUT('/api/my/hours', { params: { query: { accept }, header: over(version) }, body })),
    },
    () => me.today,
  );
  const daysForm = daysOver({
    read: () => data(api.GET('/api/my/days')),
    save: (_, body, version, accept) =>
      data(api.PUT('/api/my/days', { params: { query: { accept }, header: over(version) }, body })),
  });
  const shut = query(() => data(api.GET('/api/my/closures')), ['rules']);
  const days = $derived(daysForm.now ?? daysForm.value);
  const problem = $derived(editor.form.now ? undefined : editor.form.problem);

  $effect(() => {
    void editor.form.open(me.id);
    void daysForm.open(me.id);
  });
  follow(() => {
    editor.again();
    void daysForm.again();
  });
</script>

<svelte:head><title>My hours</title></svelte:head>

{#if problem}<Notice tone="wrong">{problem.message}</Notice>{/if}
{#if editor.form.now && editor.draft}
  <header>
    <h1 class="text-2xl">My hours</h1>
    <p class="max-w-3xl text-lg text-mute">
      <HoursSentence {editor} {days} today={me.today} zone={me.zone} whose="your" />
    </p>
  </header>
  {#if me.ownHours}
    <HoursForm {editor} id={me.id} today={me.today} />
    <Days form={daysForm} today={me.today} drafts={editor.drafts} closures={shut.value?.items ?? []} />
  {:else}
    <HoursKept drafts={editor.form.now.patterns} {days} today={me.today} />
  {/if}
{/if}
