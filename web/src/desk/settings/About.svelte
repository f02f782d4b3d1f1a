<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { moment } from './moments';

  /** The program itself. */
  const about = query(() => data(api.GET('/api/about')), []);
  const size = (bytes: number) =>
    bytes < 1e6
      ? `${Math.ceil(bytes / 1e3)} kB`
      : bytes < 1e9
        ? `${(bytes / 1e6).toFixed(1)} MB`
        : `${(bytes / 1e9).toFixed(2)} GB`;
</script>

<section class="grid content-start gap-4" aria-labelledby="about">
  <h2 class="text-2xl" id="about">This Niche</h2>
  {#if about.value}
    <dl class="sheet facts">
      <dt>Version</dt>
      <dd>{about.value.version}, runs since {moment(about.value.began)}</dd>
      <dt>Data folder</dt>
      <dd class="break-all">{about.value.folder}</dd>
      <dt>Database</dt>
      <dd>{size(about.value.bytes)}, SQLite {about.value.database}</dd>
      <dt>Zone data</dt>
      <dd>{about.value.zoneData}</dd>
      <dt>Trail</dt>
      <dd><a class="link-plain" href="/trail">Who changed what</a></dd>
    </dl>
  {/if}
</section>

<style>
  .facts {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 0.4rem 1.25rem;
    padding: 1.25rem;
  }
  dt {
    font-weight: 600;
  }
</style>
