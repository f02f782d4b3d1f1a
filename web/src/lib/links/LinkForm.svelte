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
      await data(
        api.POST('/api/staff/{id}/links', {
          params: { path: { id: staff } },
          body: { address, username, password },
        }),
      );
      onlinked();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<form class="sheet grid gap-4 p-5" onsubmit={link} novalidate>
  <div>
    <h2 class="text-lg">Link a calendar account</h2>
    <p class="text-mute">
      By CalDAV, with an app password made for Niche at {name}’s own calendar host. All calendars of the
      account are found by themselves.
    </p>
  </div>
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
  {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong">{problem.message}</Notice
    >{/if}
  <div class="flex items-center gap-2">
    <button class="btn btn-primary" disabled={busy}
      >{busy ? 'Signing in…' : 'Sign in and find calendars'}</button
    >
    {#if oncancel}<button type="button" class="btn" onclick={oncancel}>Not now</button>{/if}
  </div>
</form>
