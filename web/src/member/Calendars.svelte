<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { ownDoors } from '$lib/links/doors';
  import LinkCard from '$lib/links/LinkCard.svelte';
  import { names, usesOf } from '$lib/links/words';
  import Notice from '$lib/ui/Notice.svelte';
  import Ways from './Ways.svelte';

  /** The own calendars, and what each is for. */
  let { me }: { me: Shape<'Myself'> } = $props();

  const ask = () => data(api.GET('/api/my/links'));
  const list = query(ask, ['calendars', 'time']);
  const links = $derived(list.value?.items ?? []);
  const { blocking, getting, named } = $derived(usesOf(links));
  const costs = query(() => data(api.GET('/api/my/costs')), ['calendars', 'bookings', 'rules', 'time']);
  let adding = $state(false);
</script>

<svelte:head><title>My calendars</title></svelte:head>

<header>
  <h1 class="text-2xl">{links.length ? 'Which calendars count?' : 'No calendar is linked'}</h1>
  <p class="text-lg text-mute">
    {#if links.length}
      {#if blocking.length}<b class="text-ink">{names(blocking)}</b>
        {blocking.length === 1 ? 'blocks' : 'block'} your time.{:else}Nothing blocks your time yet.{/if}
      {#if getting.length}Visits are written to <b class="text-ink">{names(getting)}</b>, {named}.{:else}Visits
        are written nowhere yet.{/if}
    {:else if list.value}
      Nobody knows here when you are busy, and your visits show up nowhere outside.
    {/if}
  </p>
</header>
{#if list.problem}<Notice tone="wrong">{list.problem.message}</Notice>{/if}
{#if links.length && getting.length === 0}
  <Notice>Choose a calendar that <b>gets bookings</b>, so that you find your visits there.</Notice>
{/if}
{#each links as link (link.id)}
  <LinkCard {link} doors={ownDoors} onchanged={() => void list.ask(ask)} />
{/each}
{#if links.length && costs.value?.words}
  <p class="rounded-md bg-secondary px-4 py-3">{costs.value.words}</p>
{/if}
{#if list.value}
  {#if adding || links.length === 0}
    <Ways
      hosts={me.hosts}
      mail={me.email}
      send={(body) => data(api.POST('/api/my/links', { body }))}
      onlinked={() => {
        adding = false;
        void list.ask(ask);
      }}
    />
  {:else}
    <button type="button" class="btn justify-self-start" onclick={() => (adding = true)}
      >Link another calendar</button
    >
  {/if}
{/if}
