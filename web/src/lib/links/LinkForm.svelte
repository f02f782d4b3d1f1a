<script lang="ts">
  import { api, data, problemOf, type Problem } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';

  let {
    staff,
    name,
    onlinked,
    oncancel,
  }: { staff: number; name: string; onlinked: () => void; oncancel?: () => void } = $props();

  type Kind = 'account' | 'feed';
  const kinds: { kind: Kind; label: string; about: string }[] = [
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
  ];

  let kind = $state<Kind>('account');
  let address = $state('');
  let username = $state('');
  let password = $state('');
  let busy = $state(false);
  let problem = $state<Problem>();

  async function link(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = undefined;
    try {
      const body = kind === 'feed' ? { kind, address } : { kind, address, username, password };
      await data(api.POST('/api/staff/{id}/links', { params: { path: { id: staff } }, body }));
      onlinked();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<form class="sheet grid gap-4 p-5" onsubmit={link} novalidate>
  <fieldset class="grid gap-2">
    <legend class="pb-1 text-lg font-bold">Link a calendar of {name}’s</legend>
    <div class="grid gap-3 md:grid-cols-2">
      {#each kinds as k (k.kind)}
        <label class="kind" class:chosen={kind === k.kind}>
          <input
            type="radio"
            name="kind"
            class="radio radio-sm mt-0.5"
            value={k.kind}
            bind:group={kind}
            onchange={() => (problem = undefined)}
          />
          <span><b class="block">{k.label}</b><span class="text-sm text-mute">{k.about}</span></span>
        </label>
      {/each}
    </div>
  </fieldset>
  {#if kind === 'account'}
    <div class="grid gap-4 md:grid-cols-3">
      <Field label="Host or CalDAV address" hint="As in calendar.example" error={problem?.fields.address}>
        {#snippet children(tie)}
          <input class="input w-full" inputmode="url" autocomplete="off" bind:value={address} {...tie} />
        {/snippet}
      </Field>
      <Field label="User" hint="Often the mail address." error={problem?.fields.username}>
        {#snippet children(tie)}
          <input class="input w-full" autocomplete="off" bind:value={username} {...tie} />
        {/snippet}
      </Field>
      <Field
        label="App password"
        hint="Kept encrypted, and never shown again."
        error={problem?.fields.password}
      >
        {#snippet children(tie)}
          <input class="input w-full" type="password" autocomplete="off" bind:value={password} {...tie} />
        {/snippet}
      </Field>
    </div>
  {:else}
    <Field
      label="iCalendar address"
      hint="As in https://calendar.example/shared/hall.ics, or webcal://… It is kept encrypted, and only its host is shown."
      error={problem?.fields.address}
    >
      {#snippet children(tie)}
        <input class="input w-full" inputmode="url" autocomplete="off" bind:value={address} {...tie} />
      {/snippet}
    </Field>
  {/if}
  {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong">{problem.message}</Notice
    >{/if}
  <div class="flex items-center gap-2">
    <button class="btn btn-primary" disabled={busy}>
      {#if kind === 'account'}{busy ? 'Signing in…' : 'Sign in and find calendars'}{:else}{busy
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
