<script lang="ts">
  import { api, data, problemOf } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import LinkCard from '$lib/links/LinkCard.svelte';
  import LinkForm from '$lib/links/LinkForm.svelte';
  import { names, usesOf } from '$lib/links/words';
  import Notice from '$lib/ui/Notice.svelte';
  import Told from '$lib/ui/Told.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { navigate, route } from '../router';
  import { session } from '../session.svelte';

  const id = $derived(Number(route.params.id));
  let adding = $state(false);

  async function ask(id: number) {
    const path = { params: { path: { id } } };
    const [member, links, costs] = await Promise.all([
      data(api.GET('/api/staff/{id}', path)),
      data(api.GET('/api/staff/{id}/links', path)),
      data(api.GET('/api/staff/{id}/costs', path)),
    ]);
    return { member, links: links.items, costs };
  }
  const known = query(() => ask(id));
  const load = () => known.ask(() => ask(id));
  /** Of the person whose page this is, never of the one before. */
  const shown = $derived(known.value?.member.id === id ? known.value : undefined);
  const member = $derived(shown?.member);
  const links = $derived(shown?.links);
  const fault = $derived(known.problem?.message ?? '');
  $effect(() => {
    const timer = setInterval(load, 15_000);
    return () => clearInterval(timer);
  });

  let way = $state<{ of: number; address: string }>();
  let refused = $state('');

  async function invitation(act: () => Promise<unknown>) {
    refused = '';
    way = undefined;
    try {
      await act();
    } catch (cause) {
      refused = problemOf(cause).message;
    }
    await load();
  }
  const path = $derived({ params: { path: { id } } });
  let mailedTo = $state<{ of: number; mail: string }>();
  const canMail = $derived(!!session.now?.mailReady && !!member?.email);
  const invite = (byMail: boolean) =>
    invitation(async () => {
      mailedTo = undefined;
      const w = await data(api.POST('/api/staff/{id}/invitation', { ...path, body: { byMail } }));
      if (byMail) mailedTo = { of: id, mail: member?.email ?? '' };
      else way = { of: id, address: location.origin + w.path };
    });
  const withdraw = () => invitation(() => api.DELETE('/api/staff/{id}/invitation', path));
  /** What became of asking, while nothing is linked. */
  const asking = $derived.by(() => {
    const l = member?.linking;
    if (l?.state === 'asked') return `Asked ${l.when}; not come in yet.`;
    if (l?.state === 'lapsed') return `Asked ${l.when}; the address has ended unused.`;
    if (l?.state === 'opened') return `Came in ${l.when}, and has linked nothing yet.`;
    if (l?.state === 'declined')
      return `Does not want to link anything (${l.when})${l.why ? `: “${l.why}”` : '.'}`;
    return '';
  });

  const provable = $derived(
    (links ?? []).filter((l) => !l.closing && l.calendars.some((c) => c.blocks || c.getsBookings)),
  );
  async function prove() {
    refused = '';
    try {
      await api.POST('/api/proofs', { body: { links: provable.map((l) => l.id) } });
      void navigate('/proofs', { search: { link: provable[0]?.id ?? 0 } });
    } catch (cause) {
      refused = problemOf(cause).message;
    }
  }

  const first = $derived(member?.name.split(' ')[0] ?? '');
  const { blocking, getting, opened, named } = $derived(usesOf(links ?? []));
</script>

{#if fault}<div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{fault}</Notice></div>{/if}
{#if member && links}
  <PersonFrame {member} here="calendars">
    {#snippet sentence()}
      {#if links?.length === 0}
        No calendar is linked: {first}’s personal time is not known here, and bookings show up nowhere
        outside.
      {:else}
        {#if blocking.length}<b>{names(blocking)}</b>
          {blocking.length === 1 ? 'blocks' : 'block'}
          {first}’s time.{:else}Nothing blocks {first}’s time.{/if}
        {#if getting.length}Bookings are written to <b>{names(getting)}</b>, {named}.{:else}Bookings are
          written nowhere.{/if}
        {#if opened.length}{first} shows what events in <b>{names(opened)}</b> are called.{:else}Titles of
          personal events stay with {first}.{/if}
      {/if}
    {/snippet}
    <div class="flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <button
        type="button"
        class={['btn', links.length === 0 && 'btn-primary']}
        onclick={() => void invite(canMail)}
        >{asking
          ? `Ask ${first} again${canMail ? ' by mail' : ''}`
          : links.length
            ? canMail
              ? `Mail ${first} an own way in`
              : `Give ${first} an own way in`
            : `Ask ${first} to link${canMail ? ' by mail' : ''}`}</button
      >
      {#if canMail}
        <button type="button" class="link-plain text-sm" onclick={() => void invite(false)}
          >show me an address to hand over</button
        >
      {/if}
      {#if provable.length > 1}
        <button type="button" class="btn" onclick={() => void prove()}>Prove all of {first}’s links</button>
      {/if}
      {#if asking}<span class="text-mute">{asking}</span>{/if}
      {#if member.linking.state === 'asked'}
        <button type="button" class="link-plain text-sm" onclick={() => void withdraw()}>withdraw</button>
      {/if}
      {#if !asking && links.length === 0}
        <span class="text-mute">{first} signs in there, and nobody else learns a password.</span>
      {/if}
    </div>
    {#if refused}<Notice tone="wrong">{refused}</Notice>{/if}
    {#if mailedTo?.of === id}
      <Notice
        >An address goes to {mailedTo.mail}. It works once, for 7 days, and nobody else learns it.</Notice
      >
    {/if}
    {#if way?.of === id}
      <Told title="Hand this address to {first}" lines={[way.address]} ondone={() => (way = undefined)}>
        It works once, for 7 days, and is not shown again. Behind it {first} links a calendar, and chooses what
        it is for.
      </Told>
    {/if}
    {#if links.length && getting.length === 0}
      <Notice>
        Linked, but bookings are written nowhere. Choose a calendar that <b>gets bookings</b>, so that {first} finds
        them.
      </Notice>
    {/if}
    {#if links.length && blocking.length === 0}
      <Notice>No calendar <b>blocks time</b> yet, so {first} can be booked on top of personal events.</Notice>
    {/if}
    {#each links as link (link.id)}
      <LinkCard {link} onchanged={load} />
    {/each}
    {#if links.length && shown?.costs.words}
      <p class="rounded-md bg-secondary px-4 py-3">{shown.costs.words}</p>
    {/if}
    {#if adding}
      <LinkForm
        staff={id}
        name={first}
        onlinked={() => {
          adding = false;
          void load();
        }}
        oncancel={() => (adding = false)}
      />
    {:else}
      <button type="button" class="btn justify-self-start" onclick={() => (adding = true)}
        >Link a published calendar</button
      >
    {/if}
  </PersonFrame>
{/if}
