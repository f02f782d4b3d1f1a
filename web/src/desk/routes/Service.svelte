<script lang="ts">
  import { api, data, everything, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import { lengthOf } from '$lib/hours/wallclock';
  import Archive from '$lib/ui/Archive.svelte';
  import Misfits from '$lib/ui/Misfits.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';
  import { navigate, route } from '../router';
  import Budget from '../service/Budget.svelte';
  import { formOf, fresh, noticeWords, rarest, windowWords, type Form } from '../service/form';
  import Rules from '../service/Rules.svelte';
  import What from '../service/What.svelte';
  import Who from '../service/Who.svelte';

  const id = $derived(route.params.id === 'new' ? 0 : Number(route.params.id));
  let form = $state<Form>({ ...fresh });
  let page = $state('');
  let archived = $state(false);
  let kept = $state('');
  let team = $state<Shape<'StaffMember'>[]>([]);
  let kinds = $state<string[]>([]);
  /** The other services, whose colours are taken. */
  let others = $state<Shape<'Service'>[]>([]);
  let problem = $state<Problem>();
  let missing = $state('');
  let saved = $state(false);

  let preview = $state<Shape<'Preview'>>();
  let now = $state('');
  /** The day that is opened, person by person. */
  let day = $state('');
  /** A question is under way, and another waits for its answer. */
  let [drawing, again] = [false, false];

  /** The values to be shown, once they are there; a name is not needed for that. */
  function previewed(): Form | undefined {
    const body = $state.snapshot(form);
    return id && !kept ? undefined : { ...body, name: body.name || 'New', slug: '' };
  }

  /**
   * Asks what the values in the form would do: at once, and again after the answer if they have changed by then. Values that
   * cannot be read leave the last picture as it is.
   */
  async function draw() {
    again = drawing;
    const body = previewed();
    if (drawing || !body) return;
    drawing = true;
    const service = id;
    const params = { query: { service, now, day, clock: clock.kind } };
    const got = await data(api.POST('/api/services/preview', { params, body })).catch(() => undefined);
    drawing = false;
    if (got && service === id) preview = got;
    if (again) await draw();
  }
  $effect(() => {
    void [previewed(), now, day, clock.kind];
    void draw();
  });
  // What others change (a booking, a personal event, hours) changes the picture too.
  $effect(() => listen(() => void draw()));

  const changed = $derived(JSON.stringify(form) !== kept);
  const occupied = $derived(form.length + form.bufferBefore + form.bufferAfter);

  function fault(field: string): string {
    const found = Object.entries(problem?.fields ?? {}).find(
      ([at]) => at === field || at.startsWith(`${field}[`),
    );
    return found?.[1] ?? '';
  }

  function take(service: Shape<'Service'>) {
    form = formOf(service);
    page = service.page;
    archived = service.archived;
    kept = JSON.stringify(form);
  }

  async function load(id: number) {
    [missing, problem] = ['', undefined];
    // A new service can be typed at once: what comes later must not write over it.
    if (!id) [form, page, kept] = [{ ...fresh }, '', ''];
    try {
      const [people, resources, services] = await Promise.all([
        everything((query) => api.GET('/api/staff', { params: { query } })),
        everything((query) => api.GET('/api/resources', { params: { query } })),
        everything((query) => api.GET('/api/services', { params: { query } })),
      ]);
      others = services.filter((s) => s.id !== id);
      if (!id) form.hue = rarest(others.map((s) => s.hue));
      team = people;
      kinds = [...new Set(resources.map((r) => r.kind))];
      if (id) take(await data(api.GET('/api/services/{id}', { params: { path: { id } } })));
    } catch (cause) {
      missing = problemOf(cause).message;
    }
  }
  $effect(() => void load(id));

  async function save(accept = 0) {
    problem = undefined;
    saved = false;
    try {
      if (id) {
        take(
          await data(
            api.PUT('/api/services/{id}', { params: { path: { id }, query: { accept } }, body: form }),
          ),
        );
        saved = true;
      } else {
        const made = await data(api.POST('/api/services', { body: form }));
        await navigate('/services/:id', { params: { id: String(made.id) } });
      }
    } catch (cause) {
      problem = problemOf(cause);
    }
  }
</script>

<svelte:head><title>{form.name || 'A new service'} · Niche</title></svelte:head>

{#if missing}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{missing}</Notice></div>
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
          A visit lasts <b>{lengthOf(form.length)}</b> and takes <b>{lengthOf(occupied)}</b> of
          {form.staffing === 'all' ? 'everybody’s' : 'somebody’s'} time, buffers included{form.places > 1
            ? `; up to ${form.places} clients share it`
            : ''}. It can be booked <b>{noticeWords(form)}</b>, <b>{windowWords(form)}</b>.
          {#if form.paused}<b class="text-brick">It is paused: nothing can be booked.</b>{/if}
          {#if page}Its page is <a class="link-plain" href={page} target="_blank" rel="noopener">{page}</a
            >.{/if}
        </p>
      </div>
      {#if !id}<What bind:form {fault} {others} />{/if}
      <Rules bind:form {fault} />
      <Who bind:form {team} {kinds} />
      {#if id}<What bind:form {fault} {others} />{/if}
      {#if id}
        <Archive
          name={form.name}
          {archived}
          effect="takes it off the wall and shuts its page. Bookings stay, and it can be brought back."
          onchange={async (on, accept) => {
            const params = { path: { id }, query: { accept } };
            await data(api.PUT('/api/services/{id}/archive', { params, body: { archived: on } }));
            await load(id);
          }}
        />
      {/if}
      {#if problem?.misfitCount}
        <Misfits {problem} onaccept={() => save(problem?.misfitCount)} onback={() => (problem = undefined)} />
      {:else if problem}
        <Notice tone="wrong">{problem.message} Nothing was saved.</Notice>
      {/if}
      <div class="sticky bottom-0 flex items-center gap-3 border-t border-edge bg-page py-3">
        <button class="btn btn-primary" disabled={!changed}>{id ? 'Save' : 'Define the service'}</button>
        {#if id}<button type="button" class="btn" disabled={!changed} onclick={() => load(id)}>Discard</button
          >{/if}
        <p class="text-sm text-mute" role="status">
          {id && changed ? 'Not saved yet' : saved ? 'Saved' : ''}
        </p>
      </div>
    </form>
    {#if preview}
      <div class="beside">
        <Budget
          {preview}
          service={id}
          bind:now
          bind:shown={day}
          performers={form.staff.length}
          draft={changed || now ? previewed() : undefined}
        />
      </div>
    {/if}
  </div>
{/if}

<style>
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
