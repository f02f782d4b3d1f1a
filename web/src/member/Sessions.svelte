<script lang="ts">
  import { api, data, problemOf } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  /** Where somebody is signed in, each of which they can end. */
  const ask = () => data(api.GET('/api/my/sessions'));
  const list = query(ask, ['time']);
  const others = $derived((list.value?.items ?? []).filter((s) => !s.here));
  const day = new Intl.DateTimeFormat('en-GB', {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  });

  let fault = $state('');
  async function end(id?: number) {
    fault = '';
    try {
      await (id
        ? api.DELETE('/api/my/sessions/{id}', { params: { path: { id } } })
        : api.DELETE('/api/my/sessions'));
    } catch (cause) {
      fault = problemOf(cause).message;
    }
    await list.ask(ask);
  }
</script>

{#if list.value}
  <details>
    <summary class="cursor-pointer text-sm text-mute">
      {others.length
        ? `Signed in here and in ${others.length} other ${others.length === 1 ? 'browser' : 'browsers'}`
        : 'Signed in here alone'}
    </summary>
    <ul class="mt-2 grid gap-2 text-sm">
      {#each list.value.items as s (s.id)}
        <li class="flex flex-wrap items-baseline gap-x-3">
          <span
            >{s.device}{#if s.here}, <b>this one</b>{/if}</span
          >
          <span class="text-mute"
            >since {day.format(new Date(s.began))}, last {day.format(new Date(s.seen))}</span
          >
          {#if !s.here}
            <button type="button" class="link-plain" onclick={() => void end(s.id)}>end it</button>
          {/if}
        </li>
      {/each}
    </ul>
    {#if others.length > 1}
      <button type="button" class="btn btn-sm mt-2" onclick={() => void end()}>End all others</button>
    {/if}
  </details>
{/if}
{#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
