<script lang="ts">
  import Moon from '@lucide/svelte/icons/moon';
  import Sun from '@lucide/svelte/icons/sun';
  import SunMoon from '@lucide/svelte/icons/sun-moon';
  import Brand from '$lib/ui/Brand.svelte';
  import Find from './Find.svelte';
  import Keys from './wall/Keys.svelte';
  import { isActive, p } from './router';
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { applyScheme, presentScheme, type Scheme } from './scheme';
  import { session, signOut } from './session.svelte';

  const places = [
    { href: p('/'), label: 'Wall', on: () => isActive('/') },
    { href: p('/attention'), label: 'Attention', on: () => isActive('/attention') },
    { href: p('/team'), label: 'Team', on: () => isActive.startsWith('/team') },
    { href: p('/services'), label: 'Services', on: () => isActive.startsWith('/services') },
    { href: p('/pages'), label: 'Pages', on: () => isActive.startsWith('/pages') },
    { href: p('/proofs'), label: 'Proofs', on: () => isActive('/proofs') },
    { href: p('/house'), label: 'House', on: () => isActive('/house') },
    { href: p('/bookings'), label: 'Bookings', on: () => isActive.startsWith('/bookings') },
    { href: p('/clients'), label: 'Clients', on: () => isActive.startsWith('/clients') },
    { href: p('/settings'), label: 'Settings', on: () => isActive('/settings') || isActive('/trail') },
  ];
  const next: Record<Scheme, Scheme> = { auto: 'light', light: 'dark', dark: 'auto' };
  const words: Record<Scheme, string> = { auto: 'as the system', light: 'light', dark: 'dark' };
  let scheme = $state(presentScheme());
  const attention = query(() => data(api.GET('/api/attention')));
  const waiting = $derived(attention.value?.items.length ?? 0);
  const soon = $derived(attention.value?.items.some((i) => i.soon) ?? false);

  let find: ReturnType<typeof Find>;
  let keys: ReturnType<typeof Keys>;
  /** The keys that work on every screen. The wall shows its own with ?. */
  function press(e: KeyboardEvent) {
    const target = e.target as HTMLElement;
    if (e.ctrlKey || e.metaKey || e.altKey || target.closest('input, select, textarea, dialog')) return;
    if (e.key === '/') {
      e.preventDefault();
      find.show();
    } else if (e.key === '?' && !isActive('/')) {
      e.preventDefault();
      keys.show();
    }
  }

  function turn() {
    scheme = next[scheme];
    applyScheme(scheme);
  }
</script>

<svelte:window onkeydown={press} />
<Find bind:this={find} />
<Keys bind:this={keys} />
<header class="flex flex-none flex-wrap items-center gap-x-1 bg-neutral px-3.5 py-1.5 text-neutral-content">
  <a href={p('/')} class="mr-2.5 flex items-center gap-2 px-1 text-[1.0625rem] font-bold"><Brand /> Niche</a>
  <nav class="places" aria-label="Main">
    {#each places as place (place.href)}
      <a
        href={place.href}
        aria-current={place.on() ? 'page' : undefined}
        class="rounded-lg px-2.5 py-1.5 font-semibold whitespace-nowrap opacity-80 hover:opacity-100 aria-[current]:bg-white/12 aria-[current]:opacity-100"
      >
        {place.label}
        {#if place.label === 'Attention' && waiting}
          <span class="count" class:soon>{waiting}<span class="sr-only"> to look at</span></span>
        {/if}
      </a>
    {/each}
  </nav>
  <div class="ml-auto flex items-center gap-2 text-sm">
    <button type="button" class="finding" onclick={() => find.show()}
      >Find or do…<kbd aria-hidden="true">/</kbd></button
    >
    <a href={p('/bookings/new')} class="btn btn-sm btn-secondary max-sm:hidden">New booking</a>
    <button
      class="btn btn-ghost btn-sm btn-square text-neutral-content hover:bg-white/12"
      onclick={turn}
      title="Colours: {words[scheme]}"
      aria-label="Colours: {words[scheme]}"
    >
      {#if scheme === 'light'}<Sun size={17} />{:else if scheme === 'dark'}<Moon size={17} />{:else}<SunMoon
          size={17}
        />{/if}
    </button>
    <button
      class="btn btn-ghost btn-sm text-neutral-content hover:bg-white/12"
      title="Signed in as {session.now?.administrator?.name}, {session.now?.business?.name}"
      onclick={signOut}>Sign out</button
    >
  </div>
</header>

<style>
  .places {
    display: flex;
    gap: 2px;
  }
  .finding {
    display: inline-flex;
    justify-content: space-between;
    gap: 12px;
    min-width: 8rem;
    padding: 5px 10px;
    border-radius: 6px;
    background: rgb(255 255 255 / 0.12);
    color: inherit;
  }
  .finding kbd {
    opacity: 0.7;
  }
  @media (max-width: 1259px) {
    .finding {
      min-width: 0;
    }
    .finding kbd {
      display: none;
    }
  }
  .count {
    display: inline-block;
    min-width: 1.25rem;
    margin-left: 2px;
    padding: 0 5px;
    border-radius: 8px;
    background: rgb(255 255 255 / 0.16);
    font-size: 0.75rem;
    line-height: 1.25rem;
    text-align: center;
  }
  .count.soon {
    background: var(--color-gold);
    color: var(--color-neutral);
  }
  /* On a phone the places take a row of their own, which slides. */
  @media (max-width: 767px) {
    .places {
      order: 3;
      width: 100%;
      overflow-x: auto;
      scrollbar-width: none;
    }
  }
  @media print {
    header {
      display: none;
    }
  }
</style>
