<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import { clock } from '../clock.svelte';
  import Lines from './Lines.svelte';

  /** What was changed at one thing, for who wants to see it. */
  let { kinds, thing }: { kinds: string[]; thing: number } = $props();

  const lines = new Query<Awaited<ReturnType<typeof ask>>>();
  let open = $state(false);
  const ask = () =>
    data(api.GET('/api/trail', { params: { query: { kind: kinds, thing, clock: clock.kind } } }));
  $effect(() => {
    if (open) void lines.ask(ask);
  });
</script>

<details bind:open class="print:hidden">
  <summary class="link-plain w-fit cursor-pointer text-sm">Who changed what here</summary>
  {#if lines.value}
    <div class="mt-3 grid gap-2">
      <Lines lines={lines.value.items} />
      {#if lines.value.next}<a class="link-plain text-sm" href="/trail?kind={kinds.join(',')}&thing={thing}"
          >All of it</a
        >{/if}
    </div>
  {:else if lines.problem}
    <p class="mt-2 text-brick">{lines.problem.message}</p>
  {/if}
</details>
