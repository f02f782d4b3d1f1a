<script lang="ts">
  import { Router } from 'sv-router';
  import { problemOf } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import Notice from '$lib/ui/Notice.svelte';
  import Begun from './Begun.svelte';
  import Enter from './Enter.svelte';
  import Gate from './Gate.svelte';
  import Header from './Header.svelte';
  import { loadSession, session } from './session.svelte';

  let failed = $state('');

  function load() {
    failed = '';
    loadSession().catch((e) => (failed = problemOf(e).message));
  }
  load();

  /** Who comes by a one-time address chooses a password first. */
  const entering = /^\/enter\/([^/]+)$/.exec(location.pathname)?.[1];

  /** Whose links have passwords that nobody can open: said everywhere until it is put right. */
  const sealed = $derived(session.now?.sealed ?? []);
  $effect(() => (sealed.length ? listen(() => void loadSession().catch(() => undefined)) : undefined));
  /** Mail that does not go out is said everywhere too. */
  const unsent = $derived(session.now?.unsent ?? 0);
  $effect(() => {
    if (!session.now?.administrator) return;
    return listen(() => void loadSession().catch(() => undefined), ['messages']);
  });
</script>

{#if entering}
  <Enter token={entering} />
{:else if failed}
  <main class="mx-auto grid max-w-md gap-4 px-6 py-24">
    <h1 class="text-2xl">Niche cannot be reached</h1>
    <p>{failed}</p>
    <button class="btn btn-primary justify-self-start" onclick={load}>Try again</button>
  </main>
{:else if session.now?.administrator}
  {#if session.lost}
    <div class="over" role="dialog" aria-modal="true" aria-label="Sign in again">
      <Gate setUp={false} again />
    </div>
  {/if}
  <div class="flex min-h-dvh flex-col" inert={session.lost}>
    <a href="#content" class="skip">Skip to the content</a>
    <Header />
    {#if sealed.length}
      <div class="px-4 pt-3 print:hidden">
        <Notice tone="wrong">
          The passwords of links were kept with another key and cannot be opened: nothing is read or written
          there. Start Niche with the old key, or link again the calendars of
          {#each sealed as who, i (who.id)}{i ? ', ' : ''}<a
              class="link-plain"
              href="/team/{who.id}/calendars">{who.name}</a
            >{/each}.
        </Notice>
      </div>
    {/if}
    {#if unsent}
      <div class="px-4 pt-3 print:hidden">
        <Notice>
          {unsent === 1 ? 'One message does' : `${unsent} messages do`} not go out.
          <a class="link-plain" href="/settings#mail">See why</a>
        </Notice>
      </div>
    {/if}
    <Begun />
    <main id="content" class="flex grow flex-col" tabindex="-1">
      <Router />
    </main>
  </div>
{:else if session.now}
  <Gate setUp={session.now.setUpNeeded} />
{/if}

<style>
  .over {
    position: fixed;
    inset: 0;
    z-index: 60;
    overflow: auto;
  }
  .skip {
    position: absolute;
    left: -999px;
    z-index: 10;
    padding: 8px 12px;
    background: var(--color-base-100);
  }
  .skip:focus {
    left: 8px;
    top: 8px;
  }
</style>
