<script lang="ts">
  import { searchParams } from 'sv-router';
  import { tick, untrack } from 'svelte';
  import { api, data, everything, problemOf, type Shape } from '$lib/api/client';
  import { Form, over } from '$lib/api/form.svelte';
  import { listen } from '$lib/api/live';
  import { follow } from '$lib/api/query.svelte';
  import { fields } from '$lib/edit/parts';
  import { writeLength } from '$lib/ui/typed';
  import Archive from '$lib/ui/Archive.svelte';
  import History from '../trail/History.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Outcome from '$lib/ui/Outcome.svelte';
  import { clock } from '../clock.svelte';
  import { navigate, route } from '../router';
  import Budget from '../service/Budget.svelte';
  import {
    afterWords,
    formOf,
    fresh,
    hueNames,
    labels,
    lookWords,
    messageWords,
    questionWords,
    noticeWords,
    rarest,
    windowWords,
    type Fields,
  } from '../service/form';
  import Afterwards from '../service/Afterwards.svelte';
  import Limits from '../service/Limits.svelte';
  import PageOf from '../service/PageOf.svelte';
  import Questions from '../service/Questions.svelte';
  import Received from '../service/Received.svelte';
  import Rules from '../service/Rules.svelte';
  import Seen from '../service/Seen.svelte';
  import Trial from '../service/Trial.svelte';
  import Told from '../service/Told.svelte';
  import What from '../service/What.svelte';
  import Where from '../service/Where.svelte';
  import Who from '../service/Who.svelte';

  const id = $derived(route.params.id === 'new' ? 0 : Number(route.params.id));
  const edited = new Form<Fields, Fields, Shape<'Service'>>(
    {
      read: (id) => data(api.GET('/api/services/{id}', { params: { path: { id } } })),
      save: (id, body, version, accept) =>
        id
          ? data(
              api.PUT('/api/services/{id}', {
                params: { path: { id }, query: { accept }, header: over(version) },
                body,
              }),
            )
          : data(api.POST('/api/services', { body })),
      value: formOf,
      body: (fields) => fields,
    },
    { ...fresh },
  );
  const form = $derived(edited.value);
  const page = $derived(edited.now?.page ?? '');
  const archived = $derived(edited.now?.archived ?? false);
  const changed = $derived(edited.changed);
  const problem = $derived(edited.problem);
  let team = $state<Shape<'StaffMember'>[]>([]);
  let kinds = $state<string[]>([]);
  /** The other services, whose colours are taken. */
  let others = $state<Shape<'Service'>[]>([]);
  let missing = $state('');
  let gateways = $state.raw<Shape<'GatewayNow'>[]>();
  let currency = $state('EUR');
  /** What stands beside the form. */
  let beside = $state<'go' | 'see' | 'receive'>('go');
  let kind = $state<Shape<'MessageText'>['kind']>('confirmed');
  let example = $state.raw<Shape<'MessageExample'>>();

  let preview = $state<Shape<'Preview'>>();
  /** Why the present values could not be tried: what is shown is of those before. */
  let untried = $state('');
  let now = $state('');
  /** The day that is opened, person by person. */
  let day = $state('');
  /** A question is under way, and another waits for its answer. */
  let [drawing, again] = [false, false];

  /** The values to be shown, once they are there; a name is not needed for that. */
  function previewed(): Fields | undefined {
    const body = $state.snapshot(form);
    return id && !edited.now ? undefined : { ...body, name: body.name || 'New', slug: '' };
  }

  /**
   * Asks what the values in the form would do: at once, and again after the answer if they have changed by then. Values that
   * cannot be tried leave the last picture as it is, and that is said.
   */
  async function draw() {
    again = drawing;
    const body = previewed();
    if (drawing || !body) return;
    drawing = true;
    const service = id;
    const params = { query: { service, now, day, clock: clock.kind } };
    let [got, why]: [typeof preview, string] = [undefined, ''];
    try {
      got = await data(api.POST('/api/services/preview', { params, body }));
    } catch (cause) {
      why = problemOf(cause).message;
    }
    drawing = false;
    if (service === id) [preview, untried] = [got ?? preview, why];
    if (again) await draw();
  }
  $effect(() => {
    void [previewed(), now, day, clock.kind];
    void draw();
  });
  // What others change (a booking, a personal event, hours) changes the picture too.
  $effect(() => listen(() => void draw()));

  const occupied = $derived(form.length + form.bufferBefore + form.bufferAfter);

  function fault(field: string): string {
    const found = Object.entries(problem?.fields ?? {}).find(
      ([at]) => at === field || at.startsWith(`${field}[`),
    );
    return found?.[1] ?? '';
  }

  async function load(id: number) {
    missing = '';
    // A new service can be typed at once: what comes later must not write over it.
    if (id) void edited.open(id);
    else edited.begin({ ...fresh });
    try {
      const like = Number(searchParams.get('like') ?? 0);
      if (!id && like) {
        const other = await data(api.GET('/api/services/{id}', { params: { path: { id: like } } }));
        edited.begin({ ...formOf(other), name: `${other.name}, copied`, slug: '' });
      }
      const [people, resources, services, outside, settings] = await Promise.all([
        everything((query) => api.GET('/api/staff', { params: { query } })),
        everything((query) => api.GET('/api/resources', { params: { query } })),
        everything((query) => api.GET('/api/services', { params: { query } })),
        data(api.GET('/api/gateways')),
        data(api.GET('/api/settings')),
      ]);
      [gateways, currency] = [outside.items, settings.currency ?? 'EUR'];
      others = services.filter((s) => s.id !== id);
      if (!id && !searchParams.get('like')) form.hue = rarest(others.map((s) => s.hue));
      team = people;
      kinds = [...new Set(resources.map((r) => r.kind))];
    } catch (cause) {
      missing = problemOf(cause).message;
    }
  }
  $effect(() => {
    const key = id;
    untrack(() => void load(key));
  });
  follow(() => void edited.again(), ['rules']);

  async function save() {
    const done = await edited.save();
    if (done && !id && edited.now) {
      await navigate('/services/:id', { params: { id: String(edited.now.id) } });
    } else if (!done) {
      // The field that is wrong may be far from the button.
      await tick();
      document.querySelector<HTMLElement>('form [aria-invalid="true"]')?.focus();
    }
  }

  const parts = $derived(
    fields<Fields>(labels, {
      notice: noticeWords,
      window: windowWords,
      questions: questionWords,
      messages: messageWords,
      after: afterWords,
      look: lookWords,
      hue: (hue) => hueNames[hue] ?? '',
      staff: (ids) =>
        ids.map((id) => team.find((m) => m.id === id)?.name ?? `number ${id}`).join(', ') || 'nobody',
    }),
  );
</script>

<svelte:head><title>{form.name || 'A new service'} · Niche</title></svelte:head>

{#if missing || (edited.problem && id && !edited.now)}
  <div class="mx-auto w-full max-w-6xl p-6">
    <Notice tone="wrong">{missing || edited.problem?.message}</Notice>
  </div>
{:else}
  <div class="page">
    <form
      class="grid content-start gap-5"
      onsubmit={(e) => {
        e.preventDefault();
        void save();
      }}
      novalidate
    >
      <div>
        <p class="text-sm text-mute"><a class="hover:underline" href="/services">Services</a> ›</p>
        <h1 class="text-2xl">{form.name || 'A new service'}</h1>
        <p class="mt-1 max-w-3xl text-base">
          A visit lasts <b>{writeLength(form.length)}</b> and takes <b>{writeLength(occupied)}</b> of
          {form.staffing === 'all' ? 'everybody’s' : 'somebody’s'} time, buffers included{form.places > 1
            ? `; up to ${form.places} clients share it`
            : ''}. It can be booked <b>{noticeWords(form.notice)}</b>, <b>{windowWords(form.window)}</b>.
          {#if form.paused}<b class="text-brick">It is paused: nothing can be booked.</b>{/if}
          {#if page}Its page is <a class="link-plain" href={page} target="_blank" rel="noopener">{page}</a
            >.{/if}
        </p>
      </div>
      <What bind:form={edited.value} {fault} {others} />
      <Rules bind:form={edited.value} {fault} />
      <Who bind:form={edited.value} {team} {kinds} />
      <Where bind:form={edited.value} {fault} {gateways} />
      <div class="contents" onfocusin={() => (beside = 'see')}>
        <PageOf bind:form={edited.value} {fault} former={edited.now?.former ?? []} />
      </div>
      <Questions bind:form={edited.value} {fault} />
      <div class="contents" onfocusin={() => (beside = 'receive')}>
        <Told bind:form={edited.value} service={id} {fault} {gateways} bind:kind bind:example />
      </div>
      <Limits bind:form={edited.value} {fault} {currency} {gateways} />
      <Afterwards bind:form={edited.value} {fault} />
      {#if id && !archived}<Trial service={id} {changed} />{/if}
      {#if id}
        <p class="text-sm">
          <a class="link-plain" href="/services/new?like={id}">Copy {form.name}</a>
          <span class="text-mute"
            >begins another service with the same rules, people, questions and messages.</span
          >
        </p>
        <Archive
          name={form.name}
          {archived}
          effect="takes it off the wall and shuts its page. Bookings stay, and it can be brought back."
          onchange={async (on, accept) => {
            const params = { path: { id }, query: { accept } };
            await data(api.PUT('/api/services/{id}/archive', { params, body: { archived: on } }));
            await edited.open(id);
          }}
        />
        <History kinds={['service']} thing={id} />
      {/if}
      <Outcome form={edited} parts={() => parts} />
      <div class="sticky bottom-0 flex items-center gap-3 border-t border-edge bg-page py-3">
        <button class="btn btn-primary" disabled={!changed || edited.busy}
          >{id ? 'Save' : 'Define the service'}</button
        >
        {#if id}<button type="button" class="btn" disabled={!changed} onclick={() => edited.discard()}
            >Discard</button
          >{/if}
        <p class="text-sm text-mute" role="status">
          {id && changed ? 'Not saved yet' : edited.saved ? 'Saved' : ''}
        </p>
      </div>
    </form>
    {#if preview}
      <div class="beside">
        <div class="mb-3 flex flex-wrap gap-1" role="tablist" aria-label="Beside the form">
          {#each [['go', 'Where starts go'], ['see', 'What a client sees'], ['receive', 'What a client receives']] as const as [key, words] (key)}
            <button
              type="button"
              role="tab"
              class="tab-arch"
              aria-selected={beside === key}
              onclick={() => (beside = key)}>{words}</button
            >
          {/each}
        </div>
        {#if beside === 'see'}
          <Seen {page} {changed} version={edited.now?.version ?? 0} />
        {:else if beside === 'receive'}
          <Received {example} {kind} />
        {:else}
          <Budget
            {untried}
            {preview}
            service={id}
            bind:now
            bind:shown={day}
            performers={form.staff.length}
            draft={changed || now ? previewed() : undefined}
          />
        {/if}
      </div>
    {/if}
  </div>
{/if}

<style>
  .tab-arch {
    padding: 6px 14px;
    border-radius: 12px 12px 2px 2px;
    color: var(--color-mute);
    font-weight: 600;
    font-size: 0.875rem;
    cursor: pointer;
  }
  .tab-arch[aria-selected='true'] {
    background: var(--color-secondary);
    color: var(--color-secondary-content);
  }
  .page {
    display: grid;
    gap: 28px;
    width: 100%;
    max-width: 1500px;
    margin-inline: auto;
    padding: 24px;
  }
  @media (min-width: 1100px) {
    .page {
      grid-template-columns: minmax(0, 9fr) minmax(0, 11fr);
    }
    .beside {
      position: sticky;
      top: 16px;
      align-self: start;
      max-height: calc(100dvh - 32px);
      overflow-y: auto;
      margin: -4px;
      padding: 4px;
    }
  }
</style>
