<script lang="ts">
  import { api, data } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import LinkFields from './LinkFields.svelte';
  import { NewLink } from './newLink.svelte';

  /** Links a published calendar of somebody at the desk. An account they link alone, for nobody else is to know its password. */
  let {
    staff,
    name,
    onlinked,
    oncancel,
  }: { staff: number; name: string; onlinked: () => void; oncancel: () => void } = $props();

  const link = new NewLink(
    () => [],
    (body) => data(api.POST('/api/staff/{id}/links', { params: { path: { id: staff } }, body })),
  );
  link.kind = 'feed';

  async function make(e: SubmitEvent) {
    e.preventDefault();
    if (await link.make()) onlinked();
  }
</script>

<form class="sheet grid gap-4 p-5" onsubmit={make} novalidate aria-label="Link a published calendar">
  <div>
    <h2 class="text-lg font-bold">Link a published calendar of {name}’s</h2>
    <p class="text-sm text-mute">
      By its iCalendar address. It can only block time. An account is linked by {name} alone, on their own pages.
    </p>
  </div>
  <LinkFields {link} hosts={[]} {onlinked} />
  {#if link.fault}<Notice tone="wrong">{link.fault}</Notice>{/if}
  <div class="flex items-center gap-2">
    <button class="btn btn-primary" disabled={link.busy}
      >{link.busy ? 'Reading it…' : 'Read and link it'}</button
    >
    <button type="button" class="btn" onclick={oncancel}>Not now</button>
  </div>
</form>
