<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Calendars from './Calendars.svelte';
  import ComeIn from './ComeIn.svelte';
  import Day from './Day.svelte';
  import Hears from './Hears.svelte';
  import Hours from './Hours.svelte';
  import Needed from './Needed.svelte';
  import Password from './Password.svelte';
  import Sessions from './Sessions.svelte';

  /** A staff member's own pages. */
  let { here }: { here: 'day' | 'hours' | 'calendars' } = $props();

  const ask = () => data(api.GET('/api/my'));
  const me = query(ask, ['rules']);
  const pages = [
    ['day', '/my', 'My day'],
    ['hours', '/my/hours', 'My hours'],
    ['calendars', '/my/calendars', 'My calendars'],
  ] as const;

  async function leave() {
    await api.DELETE('/api/my/session');
    location.reload();
  }
</script>

<div
  class="mx-auto grid min-h-dvh w-full grid-cols-[minmax(0,1fr)] grid-rows-[1fr_auto] gap-6 px-4 py-6 {here ===
  'hours'
    ? 'max-w-6xl'
    : 'max-w-2xl'}"
>
  <main class="grid grid-cols-[minmax(0,1fr)] content-start gap-5">
    {#if me.value}
      <p class="-mb-4 text-mute">{me.value.name} · {me.value.business}</p>
      <Needed here={here === 'day' ? '/my' : `/my/${here}`} />
      {#if here === 'calendars'}<Calendars me={me.value} />{:else if here === 'hours'}<Hours
          me={me.value}
        />{:else}<Day me={me.value} />{/if}
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
      <div class="grid w-full gap-2">
        <Hears me={me.value} onchanged={() => void me.ask(ask)} />
        <Sessions />
        <Password me={me.value} onchanged={() => void me.ask(ask)} />
      </div>
    </nav>
  {/if}
</div>
