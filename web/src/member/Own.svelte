<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Calendars from './Calendars.svelte';
  import ComeIn from './ComeIn.svelte';
  import Day from './Day.svelte';
  import Sessions from './Sessions.svelte';

  /** A staff member's own pages. */
  let { here }: { here: 'day' | 'calendars' } = $props();

  const me = query(() => data(api.GET('/api/my')), []);
  const pages = [
    ['day', '/my', 'My day'],
    ['calendars', '/my/calendars', 'My calendars'],
  ] as const;

  async function leave() {
    await api.DELETE('/api/my/session');
    location.reload();
  }
</script>

<div class="mx-auto grid min-h-dvh w-full max-w-2xl grid-rows-[1fr_auto] gap-6 px-4 py-6">
  <main class="grid content-start gap-5">
    {#if me.value}
      <p class="-mb-4 text-mute">{me.value.name} · {me.value.business}</p>
      {#if here === 'calendars'}<Calendars me={me.value} />{:else}<Day me={me.value} />{/if}
    {:else if me.problem?.status === 401}
      <ComeIn />
    {:else if me.problem}
      <Notice tone="wrong">{me.problem.message}</Notice>
    {/if}
  </main>
  {#if me.value}
    <nav
      class="flex flex-wrap items-baseline gap-x-6 gap-y-2 border-t border-edge pt-4"
      aria-label="Your pages"
    >
      {#each pages as [page, path, label] (page)}
        <a
          class={page === here ? 'font-bold text-primary' : 'text-mute hover:underline'}
          aria-current={page === here ? 'page' : undefined}
          href={path}>{label}</a
        >
      {/each}
      <button type="button" class="link-plain ml-auto text-sm" onclick={leave}>Sign out</button>
      <div class="w-full"><Sessions /></div>
    </nav>
  {/if}
</div>
