<script lang="ts">
  import { untrack } from 'svelte';
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import { api, data, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import Hours from '$lib/lane/Hours.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { firstPage } from './first';
  import { dayParts, freshDetails, prefilled, presentClock, type Clock } from './settings';
  import { reached } from './steps';
  import { growInSite, tellSite } from './site';
  import { watch } from './watch';
  import Shelf from './Shelf.svelte';
  import Tools from './Tools.svelte';

  /** A service's page: the offered starts of the coming days, and booking one. */
  let { slug }: { slug: string } = $props();

  const answer = new Query<Shape<'Page'>>();
  const zoneHere = Intl.DateTimeFormat().resolvedOptions().timeZone;
  /** What came along with the document is as good as asked for, where it is by this client's zone and clock. */
  const first = untrack(() => firstPage(slug, zoneHere, presentClock()));
  let along = !!first;
  answer.value = first;
  const page = $derived(answer.value);
  const fault = $derived(answer.problem?.message ?? '');
  const given = prefilled();
  let from = $state(given.from);
  let zone = $state(zoneHere);
  let clock = $state<Clock>(presentClock());
  let staff = $state(given.with);
  /** What is typed about the client: it stays, whatever time is looked at. */
  let typed = $state(freshDetails());
  $effect(() => {
    if (staff && page && !page.staff.some((s) => s.id === staff)) staff = 0; // who does not perform it cannot be asked for
  });
  let length = $state(0);
  let places = $state(1);
  /** The token of a booking that is to be moved here, if one is. */
  const moving = new URLSearchParams(location.search).get('moving') ?? '';
  const query = $derived({ from, zone, clock, staff, length, places, moving });
  let part = $state<(typeof dayParts)[number]['key']>('any');
  let picked = $state<{ at: string; full: string; staff: number[] }>();
  let step = $state<'choose' | 'details' | 'done'>('choose');
  let booked = $state<Shape<'Booked'>>();
  let width = $state(0);
  /** What comes after the choice is had while somebody chooses: what they see first does not wait for it. */
  const details = () => import('./Details.svelte');
  $effect(() => {
    if (picked) void details();
  });

  const load = () =>
    answer.ask(() =>
      data(
        api.GET('/api/pages/{slug}', {
          params: {
            path: { slug },
            query: step === 'details' ? { ...query, from: dayOf(picked?.at) } : query,
          },
        }),
      ),
    );
  $effect(() => {
    void query;
    if (along) along = false;
    else void load();
  });

  /** In a frame that is as high as what it holds, what is chosen stands where it was chosen. */
  const framed = growInSite();
  const here = $derived(page?.service);
  $effect(() => {
    if (!here) return;
    tellSite('opened', { page: slug });
    reached(slug, 'opened');
  });
  /** What was given first counts: since then somebody looks at the page. */
  const forms = { first: '' };
  $effect(() => {
    forms.first ||= page?.form ?? '';
  });
  // An address can lead to a start at once, as that of a page of several services does.
  let led = false;
  $effect(() => {
    if (led || !page || !given.start) return;
    led = true;
    const start = [...page.soonest, ...page.days.flatMap((d) => d.starts)].find((s) => s.at === given.start);
    if (start) [picked, step] = [start, 'details'];
  });
  /** When the client is busy by a calendar of their own. */
  let busy = $state.raw<{ from: number; to: number }[]>([]);
  const minutes = $derived(page?.minutes ?? 0);
  const clashes = (at: string) => {
    const start = Date.parse(at);
    return busy.some((b) => b.from < start + minutes * 60_000 && b.to > start);
  };
  $effect(() => {
    document.documentElement.style.colorScheme = page?.scheme ?? '';
  });
  const chosen = $derived(picked?.at);
  $effect(() => {
    if (!chosen) return;
    tellSite('chosen', { start: chosen });
    reached(slug, 'chosen');
  });
  $effect(() => {
    if (!booked || booked.status === 'held' || booked.status === 'lapsed') return;
    tellSite('booked', { reference: booked.reference, status: booked.status });
    reached(slug, 'booked');
    if (booked.leadTo && !moving) (framed ? window.top : window)?.location.assign(booked.leadTo);
  });
  // What is on the screen grows old: look again while somebody looks, and when somebody comes back.
  $effect(() => {
    const again = () => document.visibilityState === 'visible' && step !== 'done' && load();
    const timer = setInterval(again, 20_000);
    document.addEventListener('visibilitychange', again);
    return () => {
      clearInterval(timer);
      document.removeEventListener('visibilitychange', again);
    };
  });

  // What is taken by somebody else while the form is filled in is told at once.
  $effect(() => {
    if (step !== 'details' || !chosen) return;
    return watch(slug, chosen, { staff, length, places, moving }, () => void load());
  });

  const limits = $derived(dayParts.find((p) => p.key === part) ?? dayParts[0]);
  const shown = (day: Shape<'PageDay'>) =>
    day.starts.filter((s) => s.minute >= limits.from && s.minute < limits.to);
  const axis = $derived({ from: page?.from ?? 0, to: page?.to ?? 1440 });
  const marks = $derived((page?.marks ?? []).map((m) => ({ at: m.minute, label: m.label })));

  /** The room from one start to the next, in pixels: without enough of it, starts stand in rows. */
  const room = $derived.by(() => {
    const gaps = (page?.days ?? []).flatMap((d) =>
      d.starts.slice(1).map((s, i) => s.minute - (d.starts[i]?.minute ?? 0)),
    );
    return ((width - 130) / (axis.to - axis.from)) * Math.min(60, ...gaps);
  });
  const upright = $derived(room >= (clock === '24' ? 38 : 58));
  const who = $derived(
    page?.staff.find((s) => s.id === staff)?.name ??
      (picked?.staff.length === 1 ? page?.staff.find((s) => s.id === picked?.staff[0])?.name : undefined) ??
      'anyone free',
  );
  const dayOf = (at = '') => (at ? new Date(at).toLocaleDateString('en-CA', { timeZone: zone }) : from);
  /** The chosen start has gone while the form is filled in: the nearest that are still there. */
  const nearest = $derived.by(() => {
    const starts = page?.days.flatMap((d) => d.starts) ?? [];
    if (step !== 'details' || !picked || page?.days[0]?.date !== dayOf(picked.at)) return undefined;
    const at = Date.parse(picked.at);
    if (starts.some((s) => Date.parse(s.at) === at)) return undefined;
    const away = (s: { at: string }) => Math.abs(Date.parse(s.at) - at);
    return starts.toSorted((a, b) => away(a) - away(b)).slice(0, 4);
  });
  // A start that has gone since it was picked is not picked any more.
  $effect(() => {
    const there = page?.days.some((d) => d.starts.some((s) => s.at === picked?.at));
    const near = page?.soonest.some((s) => s.at === picked?.at);
    if (picked && page && !there && !near && step === 'choose') picked = undefined;
  });

  function again() {
    [step, picked, booked] = ['choose', undefined, undefined];
    void load();
  }
</script>

<svelte:head><title>{page ? `${page.title} · ${page.business}` : 'Book a visit'}</title></svelte:head>

{#snippet bar(picked: { full: string })}
  <div class="ticket-bar" class:inline={framed} role="region" aria-label="Chosen">
    <dl>
      <div>
        <dt>When</dt>
        <dd>{picked.full}</dd>
      </div>
      <div class="wide">
        <dt>With</dt>
        <dd>{who}</dd>
      </div>
      {#if page?.place}
        <div class="wide">
          <dt>Where</dt>
          <dd>{page.place}</dd>
        </div>
      {/if}
    </dl>
    <button class="btn btn-accent btn-lg" onclick={() => (step = 'details')}
      >{page?.next || 'Continue'}</button
    >
  </div>
{/snippet}

{#if fault && !page}
  <main class="mx-auto grid max-w-lg gap-3 px-4 py-20">
    <h1 class="text-2xl">This page cannot be shown</h1>
    <Notice tone="wrong">{fault}</Notice>
  </main>
{:else if page}
  <main
    aria-label={page.service}
    class="page"
    style={page.accent
      ? `--color-accent:light-dark(${page.accent.light},${page.accent.dark});--color-accent-content:light-dark(${page.accent.onLight},${page.accent.onDark})`
      : undefined}
    class:with-ticket={picked && step === 'choose' && !framed}
  >
    <div class="flex flex-wrap items-end gap-x-4 gap-y-3">
      <div class="mr-auto min-w-0 break-words">
        <h1 class="text-3xl">{page.title}</h1>
        {#if given.of}<p class="text-sm">
            <a class="link-plain" href="/choose/{encodeURIComponent(given.of)}">‹ all services</a>
          </p>{/if}
        <p class="text-mute">
          {[
            page.title === page.service ? '' : page.service,
            page.length,
            page.place,
            page.price,
            page.business,
          ]
            .filter(Boolean)
            .join(' · ')}
        </p>
        {#if page.intro && step === 'choose'}<p class="mt-2 max-w-2xl whitespace-pre-line">
            {page.intro}
          </p>{/if}
      </div>
      {#if step === 'choose'}
        <Tools {page} {moving} bind:staff bind:length bind:places bind:zone bind:clock />
      {/if}
    </div>

    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if given.trial}
      <Notice>
        A trial: what you book here is real until it is cleaned up, and goes by itself within half an hour.
        Its mails go to you alone, and what you pay goes back, whatever is said to clients here.
      </Notice>
    {/if}
    {#if moving && step === 'choose'}
      <Notice>Choose another time for your visit. It stays where it is until the new time stands.</Notice>
    {/if}

    {#if step === 'choose'}
      {#if page.choose}<h2 class="text-xl text-balance break-words">{page.choose}</h2>{/if}
      <div class="flex flex-wrap items-center gap-x-2 gap-y-2">
        {#if page.soonest.length}
          <span class="soonest">
            <span class="text-mute">Soonest</span>
            {#each page.soonest as s (s.at)}
              <button
                class="btn btn-secondary btn-sm"
                aria-pressed={picked?.at === s.at}
                onclick={() => (picked = s)}
              >
                {s.label}
              </button>
            {/each}
          </span>
        {:else}
          <span class="font-semibold">
            {page.paused
              ? 'This cannot be booked for the time being.'
              : 'Nothing can be booked online at present.'}
          </span>
        {/if}
        <span class="flex flex-wrap gap-x-3 sm:ml-3" role="group" aria-label="Time of day">
          {#each dayParts as p (p.key)}
            <button class="part" aria-pressed={part === p.key} onclick={() => (part = p.key)}
              >{p.label}</button
            >
          {/each}
        </span>
      </div>

      <div
        class="grid gap-2"
        class:loose={!upright}
        bind:clientWidth={width}
        style="--token:{Math.min(52, room - 3)}px"
      >
        {#if upright}<div class="ml-[130px]"><Hours {axis} {marks} /></div>{/if}
        {#each page.days as day (day.date)}
          <Shelf
            {day}
            {axis}
            {upright}
            shared={page.places > 1}
            starts={shown(day)}
            {clashes}
            picked={picked?.at ?? ''}
            onpick={(s) => (picked = s)}
          />
          {#if framed && picked && day.starts.some((s) => s.at === picked?.at)}{@render bar(picked)}{/if}
        {/each}
      </div>

      {#await import('./Beside.svelte') then part}<part.default
          {zone}
          from={page.days[0]?.date ?? ''}
          bind:busy
        />{/await}
      {#if framed && picked && !page.days.some((d) => d.starts.some((s) => s.at === picked?.at))}
        {@render bar(picked)}
      {/if}
      <nav class="flex flex-wrap gap-2" aria-label="Days">
        <button class="btn" disabled={!page.earlier} onclick={() => (from = page?.earlier ?? '')}>
          <ChevronLeft size={16} /> Earlier
        </button>
        <button class="btn" disabled={!page.later} onclick={() => (from = page?.later ?? '')}>
          Later <ChevronRight size={16} />
        </button>
      </nav>
    {:else if step === 'details' && picked}
      {#await details() then part}
        <part.default
          {slug}
          {page}
          {staff}
          {clock}
          {length}
          {places}
          {moving}
          chosen={picked}
          bind:typed
          {forms}
          {nearest}
          onback={() => {
            step = 'choose';
            void load();
          }}
          onbooked={(b) => ([booked, step] = [b, 'done'])}
          onmove={(s) => (picked = s)}
        />
      {/await}
    {:else if booked}
      {#await import('./Done.svelte') then part}<part.default
          bind:booked={() => booked as Shape<'Booked'>, (b) => (booked = b)}
          moving={!!moving}
          onagain={again}
        />{/await}
    {/if}
  </main>

  {#if picked && step === 'choose' && !framed}{@render bar(picked)}{/if}
{/if}

<style>
  .page {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 16px;
    align-content: start;
    max-width: 1200px;
    min-height: 100dvh;
    margin: 0 auto;
    padding: 24px 24px 40px;
  }
  /* In a frame that follows what it holds, its own height is no measure. */
  :global([data-framed]) .page {
    min-height: 0;
  }
  .with-ticket {
    padding-bottom: 120px;
  }
  .loose {
    gap: 18px;
  }
  .soonest {
    display: flex;
    align-items: center;
    gap: 8px;
    min-width: 0;
  }
  .part {
    padding: 4px 0;
    color: var(--color-mute);
    text-decoration: underline;
    text-decoration-thickness: 1px;
    text-underline-offset: 3px;
    cursor: pointer;
  }
  .part[aria-pressed='true'] {
    color: var(--color-ink);
    font-weight: 700;
    text-decoration-thickness: 2px;
  }
  .ticket-bar {
    position: fixed;
    inset: auto 0 0 0;
    z-index: 5;
    display: flex;
    align-items: center;
    justify-content: center;
    gap: 32px;
    padding: 14px 24px;
    background: var(--color-neutral);
    color: var(--color-neutral-content);
    border-top: 1px solid var(--color-edge);
  }
  .ticket-bar.inline {
    position: static;
    flex-wrap: wrap;
    border-radius: 12px 12px 3px 3px;
  }
  .ticket-bar dl {
    display: flex;
    gap: 40px;
    flex: 1;
    max-width: 980px;
  }
  .ticket-bar dt {
    font-size: 0.8125rem;
    opacity: 0.75;
  }
  .ticket-bar dd {
    text-wrap: balance;
    font-weight: 700;
    font-size: 1.0625rem;
  }
  @media (max-width: 700px) {
    .soonest {
      width: 100%;
      overflow-x: auto;
      scrollbar-width: none;
    }
    .soonest :global(.btn) {
      flex: none;
    }
    .page {
      padding: 18px 14px 32px;
    }
    .with-ticket {
      padding-bottom: 110px;
    }
    .wide {
      display: none;
    }
    .ticket-bar {
      flex-wrap: wrap;
      gap: 12px;
      padding: 10px 14px;
    }
    .ticket-bar dd {
      font-size: 0.9375rem;
    }
  }
</style>
