<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import LinkCard from '$lib/links/LinkCard.svelte';
  import LinkForm from '$lib/links/LinkForm.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import PersonFrame from '../person/PersonFrame.svelte';
  import { route } from '../router';

  const id = $derived(Number(route.params.id));
  let member = $state<Shape<'StaffMember'>>();
  let links = $state<Shape<'Link'>[]>();
  let adding = $state(false);
  let fault = $state('');

  async function load(id: number) {
    const path = { params: { path: { id } } };
    try {
      const [m, l] = await Promise.all([
        data(api.GET('/api/staff/{id}', path)),
        data(api.GET('/api/staff/{id}/links', path)),
      ]);
      [member, links, fault] = [m, l.items, ''];
      adding ||= l.items.length === 0;
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
  $effect(() => void load(id));
  $effect(() => listen(() => void load(id)));
  $effect(() => {
    const timer = setInterval(() => void load(id), 15_000);
    return () => clearInterval(timer);
  });

  const first = $derived(member?.name.split(' ')[0] ?? '');
  const calendars = $derived(links?.flatMap((l) => l.calendars) ?? []);
  const names = (list: Shape<'Calendar'>[]) => new Intl.ListFormat('en-GB').format(list.map((c) => c.name));
  const blocking = $derived(calendars.filter((c) => c.blocks));
  const getting = $derived(calendars.filter((c) => c.getsBookings));
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
        {#if getting.length}Bookings are written to <b>{names(getting)}</b>, and the client’s name goes with
          them.{:else}Bookings are written nowhere.{/if}
        Titles of personal events stay with {first}.
      {/if}
    {/snippet}
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
      <LinkCard {link} onchanged={() => load(id)} />
    {/each}
    {#if adding}
      <LinkForm
        staff={id}
        name={first}
        onlinked={() => {
          adding = false;
          void load(id);
        }}
        oncancel={links.length ? () => (adding = false) : undefined}
      />
    {:else}
      <button class="btn btn-primary justify-self-start" onclick={() => (adding = true)}
        >Link another calendar</button
      >
    {/if}
  </PersonFrame>
{/if}
