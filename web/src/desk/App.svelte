<script lang="ts">
  import { Router } from 'sv-router';
  import { problemOf } from '$lib/api/client';
  import Gate from './Gate.svelte';
  import Header from './Header.svelte';
  import { loadSession, session } from './session.svelte';

  let failed = $state('');

  function load() {
    failed = '';
    loadSession().catch((e) => (failed = problemOf(e).message));
  }
  load();
</script>

{#if failed}
  <main class="mx-auto grid max-w-md gap-4 px-6 py-24">
    <h1 class="text-2xl">Niche cannot be reached</h1>
    <p>{failed}</p>
    <button class="btn btn-primary justify-self-start" onclick={load}>Try again</button>
  </main>
{:else if session.now?.administrator}
  <div class="flex min-h-dvh flex-col">
    <a href="#content" class="skip">Skip to the content</a>
    <Header />
    <main id="content" class="flex grow flex-col" tabindex="-1">
      <Router />
    </main>
  </div>
{:else if session.now}
  <Gate setUp={session.now.setUpNeeded} />
{/if}

<style>
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
