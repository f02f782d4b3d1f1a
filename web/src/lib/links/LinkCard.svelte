<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import Notice from '$lib/ui/Notice.svelte';
  import CalendarRow from './CalendarRow.svelte';

  let { link, onchanged }: { link: Shape<'Link'>; onchanged: () => void } = $props();

  let fault = $state('');

  async function choose(c: Shape<'Calendar'>, change: Partial<Shape<'Choice'>>) {
    fault = '';
    try {
      const { blocks, getsBookings, padBefore, padAfter, tentativeFree, allDayFree } = c;
      const body = { blocks, getsBookings, padBefore, padAfter, tentativeFree, allDayFree, ...change };
      await data(api.PUT('/api/calendars/{id}', { params: { path: { id: c.id } }, body }));
      onchanged();
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }

  const used = $derived(link.calendars.filter((c) => c.blocks || c.getsBookings));
  const trouble = $derived(used.find((c) => c.error));
  const since = $derived(
    new Date(link.createdAt).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' }),
  );
  const who = $derived(link.kind === 'feed' ? 'published calendar' : link.username);
</script>

<section class="sheet overflow-hidden" aria-label="{link.host}, {who}">
  <header class="flex flex-wrap items-center gap-x-3 border-b border-base-300 bg-base-200 px-4 py-2.5">
    <span class="arch" class:wrong={trouble} class:idle={used.length === 0} aria-hidden="true"></span>
    <h2 class="text-base font-bold">{link.host}</h2>
    <span class="text-mute">{who} · linked {since}</span>
    {#if used.length === 0}<b class="ml-auto text-brick">Nothing chosen yet</b>{/if}
  </header>
  <ul class="divide-y divide-base-300">
    {#each link.calendars as c (c.id)}
      <CalendarRow calendar={c} feed={link.kind === 'feed'} onchoose={(change) => choose(c, change)} />
    {/each}
  </ul>
  {#if trouble || fault}
    <div class="p-4 pt-1">
      <Notice tone={fault ? 'wrong' : 'attention'}>
        {fault || `${trouble?.error} What was read last still blocks time.`}
      </Notice>
    </div>
  {/if}
</section>

<style>
  .arch {
    width: 15px;
    height: 18px;
    border-radius: 8px 8px 1px 1px;
    background: var(--color-moss-fill);
  }
  .arch.wrong,
  .arch.idle {
    background: none;
    border: 2px dashed var(--color-brick);
  }
</style>
