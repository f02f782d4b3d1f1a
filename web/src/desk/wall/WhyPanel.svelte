<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { tick } from 'svelte';
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import { listen } from '$lib/api/live';
  import { clientOf } from '../bookings/client';
  import ForWhom from '../bookings/ForWhom.svelte';
  import { clock } from '../clock.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import Trail from '$lib/ui/Trail.svelte';

  /** Every rule's verdict on one start of one person, where its values come from, and what else there is. */
  let {
    service,
    staff,
    at,
    draft,
    inside = false,
    onmove,
    onclose,
  }: {
    service: number;
    staff: number;
    at: string;
    /** Values of the service that are not saved, and the moment as if it were now, where those count. */
    draft?: { fields: Shape<'ServiceFields'>; now: string };
    /** Whether it stands in a column, not at the side of the screen. */
    inside?: boolean;
    /** Shows another start. */
    onmove: (staff: number, at: string) => void;
    onclose: () => void;
  } = $props();

  const answer = new Query<Shape<'Why'>>();
  const why = $derived(answer.value);
  const fault = $derived(answer.problem?.message ?? '');
  let booking = $state(false);
  const nobody = { name: '', mail: '', phone: '', address: '' };
  let who = $state({ ...nobody });
  let busy = $state(false);
  let booked = $state('');
  let problem = $state<Problem>();
  /** Made once for each booking that is wanted, so that a cut line books it once. */
  let key = crypto.randomUUID();
  let panel = $state<HTMLElement>();

  function load(service: number, staff: number, at: string) {
    const query = { service, staff, at, clock: clock.kind };
    const unsaved = draft && { now: draft.now, body: $state.snapshot(draft.fields) };
    return answer.ask(() =>
      data(
        unsaved
          ? api.POST('/api/services/why', {
              params: { query: { ...query, now: unsaved.now } },
              body: unsaved.body,
            })
          : api.GET('/api/why', { params: { query } }),
      ),
    );
  }
  $effect(() => {
    [booking, booked, problem] = [false, '', undefined];
    void load(service, staff, at).then(async () => {
      await tick();
      if (inside) panel?.scrollIntoView({ block: 'start' });
    });
  });
  $effect(() => listen(() => void load(service, staff, at)));

  async function book(e: SubmitEvent) {
    e.preventDefault();
    if (!why) return;
    busy = true;
    problem = undefined;
    try {
      const got = await data(
        api.POST('/api/bookings', {
          body: { service, start: why.at, staff, key, ...clientOf(who, why.venue) },
        }),
      );
      [booked, booking, who] = [got.reference, false, { ...nobody }];
      key = crypto.randomUUID();
    } catch (cause) {
      problem = problemOf(cause);
      if (problem.status) key = crypto.randomUUID(); // it was refused, and the next try is another booking
    } finally {
      busy = false;
    }
  }
  const refused = $derived(why?.rules.filter((r) => !r.held) ?? []);
</script>

<aside
  class={inside ? 'sheet p-4' : 'aside w-88 flex-none border-l border-edge bg-base-100 p-4'}
  aria-label="Why"
  bind:this={panel}
>
  <div class:follow={!inside}>
    <div class="flex items-start justify-between gap-2">
      <p class="text-sm text-mute">{why ? `${why.service.name} with ${why.staff.name}` : ''}</p>
      <button class="btn btn-square btn-ghost btn-xs" aria-label="Close" onclick={onclose}
        ><X size={16} /></button
      >
    </div>
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if why}
      <h2 class="text-lg"><Sentence text={why.words} /></h2>
      {#if why.away}<p class="text-sm text-mute">{why.away}</p>{/if}
      <p class="mt-1 font-semibold" role="status">
        {#if booked}Booked, reference {booked}.
        {:else if why.offered}
          <span class="text-moss">{draft ? 'It would be offered.' : 'It is offered.'}</span>
        {:else}
          <span class="text-brick">
            {draft ? 'It would not be offered' : 'It is not offered'}{refused.length > 1
              ? `, for ${refused.length} reasons`
              : ''}.
          </span>
        {/if}
      </p>
      {#if why.offered && !booked}
        {#if booking}
          <form class="mt-2 grid gap-2 border-t border-base-300 pt-3" onsubmit={book} novalidate>
            <ForWhom bind:who venue={why.venue} {problem} focus />
            {#if problem && Object.keys(problem.fields).length === 0}<Notice tone="wrong"
                >{problem.message}</Notice
              >{/if}
            <div class="flex gap-2">
              <button class="btn btn-primary btn-sm grow" disabled={busy}
                >{busy ? 'Booking…' : 'Book it'}</button
              >
              <button type="button" class="btn btn-sm" onclick={() => (booking = false)}>Not now</button>
            </div>
          </form>
        {:else}
          <button class="btn btn-primary btn-sm mt-1 w-full" onclick={() => (booking = true)}
            >Book this start…</button
          >
        {/if}
      {/if}
      {#if !why.offered && !booked && !draft && why.performs && why.rules.some((r) => !r.held)}
        <a
          class="link-plain text-sm"
          href="/bookings/new?service={why.service.id}&staff={why.staff.id}&anyway={encodeURIComponent(
            why.at,
          )}">book it anyway…</a
        >
      {/if}
      {#if !why.performs}
        <Notice>
          {why.staff.name} does not perform {why.service.name}.
          <a class="link-plain" href="/services/{why.service.id}">Change who does</a>
        </Notice>
      {/if}
      {#if why.paused}
        <Notice>
          {why.service.name} is paused.
          <a class="link-plain" href="/services/{why.service.id}">Open it again</a>
        </Notice>
      {/if}
      {#if why.offset}
        <Notice>
          {why.offset} <a class="link-plain" href="/services/{why.service.id}">Change the steps</a>
        </Notice>
      {/if}
      <Trail title="What refuses it" rules={refused} away={!!draft} />
      {#each [{ title: `Nearest with ${why.staff.name}`, list: why.own, named: false }, { title: 'With others', list: why.others, named: true }] as group (group.title)}
        {#if group.list.length}
          <h3 class="pt-3 pb-1 text-sm font-bold">{group.title}</h3>
          <div class="flex flex-wrap gap-1.5">
            {#each group.list as n (n.at + String(n.staff.id))}
              <button class="btn btn-xs" onclick={() => onmove(n.staff.id, n.at)}>
                {n.words}{group.named ? `, ${n.staff.name.split(' ')[0]}` : ''}
              </button>
            {/each}
          </div>
        {/if}
      {/each}
      <Trail title="What holds" rules={why.rules.filter((r) => r.held)} away={!!draft} />
    {/if}
  </div>
</aside>
