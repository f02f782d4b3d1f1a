<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';

  /** The proofs of a link, the last first. */
  let { link, shown, onshow }: { link: number; shown: number; onshow: (proof: number) => void } = $props();

  let page = $state(1);
  const list = query(
    () => data(api.GET('/api/links/{id}/proofs', { params: { path: { id: link }, query: { page } } })),
    ['proofs'],
  );
</script>

{#if list.value && (list.value.items.length > 1 || page > 1)}
  <details class="sheet px-4 py-2 print:hidden">
    <summary class="cursor-pointer font-semibold">Earlier proofs of this link</summary>
    <ul class="mt-2 divide-y divide-base-300 text-sm">
      {#each list.value.items as p (p.id)}
        <li class="flex items-baseline gap-3 py-1.5">
          <span class="w-36 flex-none whitespace-nowrap text-mute">{p.when}</span>
          <span class="min-w-0 grow"
            ><b class={p.state === 'failed' ? 'text-brick' : ''}>{p.state}</b>
            <span class="text-mute">{p.words}; asked for {p.by === 'by itself' ? p.by : `by ${p.by}`}</span
            ></span
          >
          {#if p.id === shown}<span class="text-mute">shown</span>
          {:else}<button type="button" class="link-plain" onclick={() => onshow(p.id)}>Show</button>{/if}
        </li>
      {/each}
    </ul>
    <div class="flex gap-3 py-1">
      {#if page > 1}<button type="button" class="btn btn-sm" onclick={() => page--}>Newer</button>{/if}
      {#if list.value.next}<button type="button" class="btn btn-sm" onclick={() => page++}>Older</button>{/if}
    </div>
  </details>
{/if}
