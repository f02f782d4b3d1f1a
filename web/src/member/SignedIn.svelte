<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';

  /** Where people come back from a calendar host. What they bring is used once, and does not stay in the address. */
  const brought = new URLSearchParams(location.search);
  history.replaceState(null, '', '/signed-in');

  let came = $state<Shape<'Came'>>();
  let problem = $state<Problem>();

  async function comeBack() {
    try {
      came = await data(
        api.POST('/api/signed-in', {
          body: {
            code: brought.get('code') ?? '',
            state: brought.get('state') ?? '',
            iss: brought.get('iss') ?? '',
            error: brought.get('error') ?? '',
            errorDescription: brought.get('error_description') ?? '',
          },
        }),
      );
      if (!came.fault && !came.tried) location.replace('/my/calendars');
    } catch (cause) {
      problem = problemOf(cause);
    }
  }
  void comeBack();
  const back = $derived(came?.tried ? '/settings' : '/my/calendars');
</script>

<svelte:head><title>Back from the host</title></svelte:head>

<main class="mx-auto grid w-full max-w-2xl content-start gap-5 px-4 py-8">
  {#if problem}
    <h1 class="text-2xl">This did not work</h1>
    <Notice tone="wrong">{problem.message}</Notice>
    <a class="link-plain justify-self-start" href="/my/calendars">To your calendars</a>
  {:else if came && (came.fault || came.tried)}
    <h1 class="text-2xl">
      {came.fault ? `Signing in at ${came.host} did not work` : `Signing in at ${came.host} works`}
    </h1>
    {#if came.fault}<Notice tone="wrong">{came.fault}</Notice>{/if}
    {#each came.notes as note (note)}<Notice>{note}</Notice>{/each}
    {#if came.steps.length}
      <ol class="sheet divide-y divide-base-300">
        {#each came.steps as s (s.doing)}
          <li class="grid gap-1 px-4 py-3">
            <span
              ><b>{s.doing}</b>
              <span class={s.good ? 'text-moss' : 'text-brick'}>{s.good ? 'good' : 'failed'}</span></span
            >
            {#if s.raw}<pre class="overflow-auto text-sm whitespace-pre-wrap text-mute">{s.raw}</pre>{/if}
          </li>
        {/each}
      </ol>
    {/if}
    <a class="btn justify-self-start" href={back}
      >{came.tried ? 'Back to the settings' : 'Back to your calendars'}</a
    >
  {:else}
    <p class="text-mute">One moment…</p>
  {/if}
</main>
