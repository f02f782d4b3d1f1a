<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import GatewayForm from './GatewayForm.svelte';

  /** The small services outside that Niche asks beside calendars and mail. */
  const list = query(() => data(api.GET('/api/gateways')), ['messages', 'rules']);
</script>

<section class="grid content-start gap-4" aria-labelledby="outside">
  <div>
    <h2 class="text-2xl" id="outside">Services outside</h2>
    <p class="text-mute">
      Each is an address and a key, asked by a few requests that are written down in
      <code>docs/gateways.md</code>, so that any service can be put behind it.
    </p>
  </div>
  {#each list.value?.items ?? [] as g (g.kind)}<GatewayForm now={g} />{/each}
  {#if list.problem}<Notice tone="wrong">{list.problem.message}</Notice>{/if}
</section>
