<script lang="ts">
  import { problemOf, type Problem, type Shape } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import type { LinkDoors } from './doors';

  /** Gives a link a new key. Nothing else has to be set again. */
  let {
    link,
    doors,
    onrenewed,
    oncancel,
  }: { link: Shape<'Link'>; doors: LinkDoors; onrenewed: () => void; oncancel: () => void } = $props();

  const feed = $derived(link.kind === 'feed');
  let key = $state('');
  let busy = $state(false);
  let problem = $state<Problem>();

  async function renew(e: SubmitEvent) {
    e.preventDefault();
    [busy, problem] = [true, undefined];
    try {
      if (link.byConsent) return await doors.signIn?.(link.signsInAt, link.id);
      await doors.renew(link.id, feed ? { address: key } : { password: key });
      onrenewed();
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
</script>

<form class="grid gap-3 border-b border-base-300 p-4" onsubmit={renew} novalidate>
  <div class="max-w-md">
    {#if !feed && !doors.signIn}
      <p>
        Its owner alone can renew it, on their own pages: ask them to sign in again. Nobody else learns the
        password.
      </p>
    {:else if link.byConsent}
      {#if doors.signIn && link.signsInAt}
        <p>
          At {link.host} you are asked once more whether Niche may see your calendars. Nobody here learns a password.
        </p>
      {:else}
        <p>{link.host} is not set up for signing in any more. Link it anew, by an app password.</p>
      {/if}
    {:else if feed}
      <Field
        label="New address"
        hint="It is kept encrypted, and only its host is shown."
        error={problem?.fields.address}
      >
        {#snippet children(tie)}
          <input class="input w-full" inputmode="url" autocomplete="off" bind:value={key} {...tie} />
        {/snippet}
      </Field>
    {:else}
      <Field
        label="New app password of {link.username}"
        hint="Kept encrypted, and never shown again."
        error={problem?.fields.password}
      >
        {#snippet children(tie)}
          <input class="input w-full" type="password" autocomplete="off" bind:value={key} {...tie} />
        {/snippet}
      </Field>
    {/if}
  </div>
  {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong">{problem.message}</Notice
    >{/if}
  <p class="text-sm text-mute">Its calendars, what they are for and the copies in them stay as they are.</p>
  <div class="flex gap-2">
    {#if !link.byConsent && (feed || doors.signIn)}
      <button class="btn btn-primary" disabled={busy}>{busy ? 'Trying it…' : 'Renew the link'}</button>
    {:else if link.byConsent && doors.signIn && link.signsInAt}
      <button class="btn btn-primary" disabled={busy}>Go to {link.host}</button>
    {/if}
    <button type="button" class="btn" onclick={oncancel}>Not now</button>
  </div>
</form>
