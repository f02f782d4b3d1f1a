<script lang="ts">
  import { api, data, everything, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { writeWork } from '$lib/ui/typed';
  import { cityOf } from '$lib/hours/dates';
  import Field from '$lib/ui/Field.svelte';
  import ListTools from '$lib/ui/ListTools.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Told from '$lib/ui/Told.svelte';
  import ZonePicker from '$lib/ui/ZonePicker.svelte';
  import { navigate } from '../router';
  import { session } from '../session.svelte';

  let problem = $state<Problem>();
  let search = $state('');
  let order = $state('name');
  let archived = $state(false);
  let adding = $state(false);
  let name = $state('');
  let email = $state('');
  let zone = $state(session.now?.business?.zone ?? 'Europe/Dublin');

  const list = query(() => everything((query) => api.GET('/api/staff', { params: { query } }), archived));
  const team = $derived(list.value);
  $effect(() => {
    if (team?.length === 0 && !archived) adding = true;
  });

  async function add(e: SubmitEvent) {
    e.preventDefault();
    problem = undefined;
    try {
      const member = await data(api.POST('/api/staff', { body: { name, email, zone } }));
      await navigate('/team/:id', { params: { id: String(member.id) } });
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  let asked = $state<Shape<'AllInvited'>>();
  let choosing = $state(false);
  const unlinked = $derived((team ?? []).filter((m) => m.links === 0 && !m.archived));
  const mailed = $derived(asked?.items.filter((w) => w.mail) ?? []);
  const handed = $derived(asked?.items.filter((w) => !w.mail) ?? []);
  async function askAll(byMail: boolean) {
    [problem, choosing, asked] = [undefined, false, undefined];
    try {
      asked = await data(api.POST('/api/invitations', { body: { byMail } }));
    } catch (cause) {
      problem = problemOf(cause);
    }
  }

  /** What is missing before this person's time can be sold safely. */
  function missing(m: Shape<'StaffMember'>): string[] {
    const out = [];
    if (m.links === 0) out.push('no calendar linked');
    else {
      if (m.blocking.length === 0) out.push('no calendar blocks time');
      if (m.getting.length === 0) out.push('bookings are written nowhere');
    }
    if (m.troubled) out.push('a calendar cannot be read');
    if (!m.hasHours) out.push('no hours set');
    if (m.services.length === 0) out.push('performs no service');
    return out;
  }
  const shown = $derived(
    (team ?? [])
      .filter((m) =>
        [m.name, m.email, m.zone, ...m.services]
          .join(' ')
          .toLowerCase()
          .includes(search.trim().toLowerCase()),
      )
      .toSorted((a, b) =>
        order === 'missing'
          ? missing(b).length - missing(a).length || a.name.localeCompare(b.name)
          : order === 'hours'
            ? b.weekly - a.weekly || a.name.localeCompare(b.name)
            : a.name.localeCompare(b.name),
      ),
  );
  const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
  const names = (list: string[]) => new Intl.ListFormat('en-GB').format(list);
</script>

<svelte:head><title>Team · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl gap-5 px-6 py-6">
  <div class="flex items-end justify-between gap-4">
    <div>
      <h1 class="text-2xl">Team</h1>
      <p class="text-mute">Who works when, and whether their calendars are linked.</p>
    </div>
    <div class="flex flex-wrap justify-end gap-2">
      {#if unlinked.length > 1}
        <button
          class="btn"
          aria-expanded={choosing}
          onclick={() => (session.now?.mailReady ? (choosing = !choosing) : void askAll(false))}
          >Ask the {unlinked.length} without a link</button
        >
      {/if}
      {#if !adding}<button class="btn btn-primary" onclick={() => (adding = true)}>Add a person</button>{/if}
    </div>
  </div>

  {#if adding}
    <form class="sheet grid gap-4 p-5 sm:grid-cols-3" onsubmit={add} novalidate>
      <Field label="Name" error={problem?.fields.name}>
        {#snippet children(tie)}<input class="input w-full" bind:value={name} {...tie} />{/snippet}
      </Field>
      <Field label="Mail address" hint="Can be left empty." error={problem?.fields.email}>
        {#snippet children(tie)}<input
            class="input w-full"
            type="email"
            bind:value={email}
            {...tie}
          />{/snippet}
      </Field>
      <Field label="Zone" hint="The clock by which this person works." error={problem?.fields.zone}>
        {#snippet children(tie)}<ZonePicker bind:value={zone} {...tie} />{/snippet}
      </Field>
      {#if problem && Object.keys(problem.fields).length === 0}
        <div class="sm:col-span-3"><Notice tone="wrong">{problem.message}</Notice></div>
      {/if}
      <div class="flex gap-2 sm:col-span-3">
        <button class="btn btn-primary">Add, and set the hours</button>
        {#if team?.length}<button type="button" class="btn" onclick={() => (adding = false)}>Not now</button
          >{/if}
      </div>
    </form>
  {/if}

  {#if choosing}
    <section class="sheet grid gap-3 p-5" aria-label="How to ask">
      <p>
        <b>{names(unlinked.filter((m) => m.email).map((m) => m.name))}</b> can be asked by mail: each gets an
        address that nobody else learns.{#if unlinked.some((m) => !m.email)}
          {names(unlinked.filter((m) => !m.email).map((m) => m.name))} would be left out, having no mail address.{/if}
      </p>
      <div class="flex flex-wrap gap-2">
        <button class="btn btn-primary" onclick={() => void askAll(true)}>Ask by mail</button>
        <button class="btn" onclick={() => void askAll(false)}>Show me addresses to hand over</button>
        <button class="btn btn-ghost" onclick={() => (choosing = false)}>Not now</button>
      </div>
    </section>
  {/if}
  {#if mailed.length || asked?.noMail.length}
    <Notice>
      {#if mailed.length}Mail goes to {names(mailed.map((w) => w.name))}.{/if}
      {#if asked?.noMail.length}Left out, for want of a mail address: {names(asked.noMail)}.{/if}
      <button type="button" class="link-plain" onclick={() => (asked = undefined)}>Good</button>
    </Notice>
  {/if}
  {#if handed.length}
    <Told
      title="Hand each address to its person alone"
      lines={handed.map((w) => `${w.name}: ${location.origin}${w.path}`)}
      ondone={() => (asked = undefined)}
    >
      Each works once, for 7 days, and is not shown again. Addresses of before have ended.
    </Told>
  {/if}
  {#if problem && !adding}<Notice tone="wrong">{problem.message}</Notice>{/if}
  {#if list.problem}<Notice tone="wrong">{list.problem.message}</Notice>{/if}
  {#if team && (team.length || archived)}
    <ListTools
      bind:search
      bind:order
      bind:archived
      what="people"
      orders={[
        ['name', 'name'],
        ['missing', 'what is missing'],
        ['hours', 'hours this week'],
      ]}
    />
    {#if shown.length === 0}
      <p class="py-6 text-mute">
        {search ? `Nobody here is called or does “${search}”.` : archived ? 'Nobody is archived.' : ''}
      </p>
    {/if}
    <ul class="sheet divide-y divide-base-300">
      {#each shown as m (m.id)}
        <li class="person">
          <span class="arch" class:set={missing(m).length === 0} aria-hidden="true"></span>
          <div>
            <a class="text-base font-bold hover:underline" href="/team/{m.id}">{m.name}</a>
            <p class="text-sm text-mute">{cityOf(m.zone)}, {m.present} now</p>
          </div>
          <div class="text-sm">
            <p>
              {m.weekly ? `${writeWork(m.weekly)} this week` : m.hasHours ? 'Away this week' : 'No hours'}
            </p>
            <p class="text-mute">{m.services.length ? names(m.services) : 'No service'}</p>
          </div>
          <div class="text-sm">
            {#if missing(m).length === 0}
              <p>{names(m.blocking)} {m.blocking.length === 1 ? 'blocks' : 'block'} time</p>
              <p class="text-mute">
                Bookings go to {names(m.getting)}{#if m.linking.state === 'proved'}; {m.linking.words}{/if}
              </p>
            {:else}
              <p class="font-semibold text-brick">{capital(missing(m)[0] ?? '')}</p>
              {#if m.links === 0 && m.linking.words}<p class="text-mute">{capital(m.linking.words)}</p>{/if}
              {#if missing(m).length > 1}<p class="text-mute">{capital(names(missing(m).slice(1)))}</p>{/if}
            {/if}
          </div>
          <div class="flex justify-end gap-4 text-sm">
            <a class="link-plain" href="/team/{m.id}">Hours</a>
            <a class="link-plain" href="/team/{m.id}/calendars">Calendars</a>
          </div>
        </li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .person {
    display: grid;
    grid-template-columns: 22px minmax(0, 1.1fr) minmax(0, 1.5fr) minmax(0, 1.6fr) auto;
    align-items: center;
    gap: 18px;
    padding: 13px 18px;
  }
  .arch {
    width: 16px;
    height: 20px;
    border-radius: 8px 8px 1px 1px;
    border: 2px dashed var(--color-brick);
  }
  .arch.set {
    border: 0;
    background: var(--color-moss-fill);
  }
</style>
