<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import LinkFields from './LinkFields.svelte';
  import { NewLink } from './newLink.svelte';

  let {
    staff,
    name,
    hosts = [],
    onlinked,
    oncancel,
  }: {
    staff: number;
    name: string;
    hosts?: Shape<'NamedHost'>[];
    onlinked: () => void;
    oncancel?: () => void;
  } = $props();

  const kinds = [
    {
      kind: 'account',
      label: 'An account',
      about: 'By CalDAV. Its calendars can block time and get bookings.',
    },
    {
      kind: 'feed',
      label: 'A published calendar',
      about: 'By its iCalendar address. It can only block time.',
    },
  ] as const;

  const link = new NewLink(
    () => hosts,
    (body) => data(api.POST('/api/staff/{id}/links', { params: { path: { id: staff } }, body })),
  );

  async function make(e: SubmitEvent) {
    e.preventDefault();
    if (await link.make()) onlinked();
  }
</script>

<form class="sheet grid gap-4 p-5" onsubmit={make} novalidate>
  <fieldset class="grid gap-2">
    <legend class="pb-1 text-lg font-bold">Link a calendar of {name}’s</legend>
    <div class="grid gap-3 md:grid-cols-2">
      {#each kinds as k (k.kind)}
        <label class="kind" class:chosen={link.kind === k.kind}>
          <input
            type="radio"
            name="kind"
            class="radio radio-sm mt-0.5"
            value={k.kind}
            bind:group={link.kind}
            onchange={() => (link.problem = undefined)}
          />
          <span><b class="block">{k.label}</b><span class="text-sm text-mute">{k.about}</span></span>
        </label>
      {/each}
    </div>
  </fieldset>
  <LinkFields {link} {hosts} {onlinked} />
  {#if link.fault}<Notice tone="wrong">{link.fault}</Notice>{/if}
  <div class="flex items-center gap-2">
    <button class="btn btn-primary" disabled={link.busy}>
      {#if link.kind === 'account'}{link.busy ? 'Signing in…' : 'Sign in and find calendars'}{:else}{link.busy
          ? 'Reading it…'
          : 'Read and link it'}{/if}
    </button>
    {#if oncancel}<button type="button" class="btn" onclick={oncancel}>Not now</button>{/if}
  </div>
</form>

<style>
  .kind {
    display: flex;
    gap: 10px;
    padding: 10px 12px;
    border: 1px solid var(--color-edge);
    border-radius: 8px 8px 2px 2px;
    cursor: pointer;
  }
  .kind.chosen {
    border-color: var(--color-primary);
    box-shadow: inset 0 -3px 0 var(--color-primary);
  }
</style>
