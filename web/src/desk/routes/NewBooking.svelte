<script lang="ts">
  import { searchParams } from 'sv-router';
  import { api, data, everything, problemOf, type Problem } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { addDays, dateIn } from '$lib/hours/dates';
  import { answersOf, faultsOf, type Said } from '$lib/ask/ask';
  import Asks from '$lib/ask/Asks.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clientOf } from '../bookings/client';
  import ForWhom from '../bookings/ForWhom.svelte';
  import Anyway from '../bookings/Anyway.svelte';
  import Starts from '../bookings/Starts.svelte';
  import { clock } from '../clock.svelte';
  import { clientHearsSentence } from '../hears';
  import { navigate } from '../router';
  import { session } from '../session.svelte';

  /** A booking that the desk makes for a client: once, or week after week with each date looked at first. */
  const param = (name: string) => String(searchParams.get(name) ?? '');
  let service = $state(Number(param('service')));
  let staff = $state(Number(param('staff')));
  let length = $state(Number(param('length')));
  let start = $state(param('start'));
  let full = $state('');
  let from = $state('');
  let who = $state({ name: param('name'), mail: param('mail'), phone: param('phone'), address: '' });
  let note = $state('');
  let said = $state<Said>({});
  /** A moment that the rules refuse, which was asked about on the wall. */
  const refused = param('anyway');
  const home = session.now?.business?.zone ?? 'UTC';
  const wallClock = (at: string) =>
    new Intl.DateTimeFormat('en-GB', { timeZone: home, hour: '2-digit', minute: '2-digit' }).format(
      Date.parse(at),
    );
  let anyway = $state(!!refused);
  let [date, time, why] = $state(
    (refused ? [dateIn(home, refused), wallClock(refused), ''] : ['', '', '']) as [string, string, string],
  );
  let weeks = $state(1);
  let busy = $state(false);
  let problem = $state<Problem>();
  let key = crypto.randomUUID();

  const zone = $derived(session.now?.business?.zone ?? 'UTC');
  const services = query(() => everything((q) => api.GET('/api/services', { params: { query: q } })));
  const team = query(() => everything((q) => api.GET('/api/staff', { params: { query: q } })));
  const chosen = $derived(services.value?.find((s) => s.id === service));
  const people = $derived(
    (team.value ?? []).filter((m) => chosen?.staff.includes(m.id)).map((m) => ({ id: m.id, name: m.name })),
  );
  const joint = $derived(chosen?.staffing === 'all');
  $effect(() => {
    if (!service && services.value?.[0]) service = services.value[0].id;
  });
  // The service's first length goes without saying.
  $effect(() => {
    if (chosen && length === chosen.length) length = 0;
  });
  // A person who does not perform it cannot be asked for.
  $effect(() => {
    if (staff && people.length && !people.some((p) => p.id === staff)) staff = 0;
  });
  $effect(() => {
    if (start && !full && !from) from = dateIn(zone, start);
  });

  /** The starts of the weeks that follow, each looked up as clients are offered it. */
  const repeated = query(async () => {
    if (!start || weeks < 2 || !chosen || anyway) return [];
    const [first, wanted] = [dateIn(zone, start), wallClock(start)];
    return Promise.all(
      Array.from({ length: weeks - 1 }, async (_, i) => {
        const day = addDays(first, 7 * (i + 1));
        const page = await data(
          api.GET('/api/pages/{slug}', {
            params: { path: { slug: chosen.slug }, query: { from: day, zone, clock: clock.kind, length } },
          }),
        );
        const starts = page.days.find((d) => d.date === day)?.starts ?? [];
        const fits = starts.filter((s) => !staff || s.staff.includes(staff));
        const same = fits.find((s) => wallClock(s.at) === wanted);
        return { day, at: same?.at ?? '', words: same?.full ?? day, others: fits.length };
      }),
    );
  }, ['bookings', 'rules']);
  const rest = $derived(repeated.value ?? []);
  let results = $state<{ words: string; reference: string; fault: string }[]>([]);

  function body(at: string) {
    const common = {
      ...{ service, staff, length, note, ...clientOf(who, chosen?.venue) },
      answers: answersOf(chosen?.questions ?? [], said),
    };
    return anyway
      ? { ...common, wall: `${date} ${time}`, anyway: why, key }
      : { ...common, start: at, key: at === start ? key : crypto.randomUUID() };
  }
  async function book(e: SubmitEvent) {
    e.preventDefault();
    [busy, problem, results] = [true, undefined, []];
    try {
      const made = await data(api.POST('/api/bookings', { body: body(start) }));
      key = crypto.randomUUID();
      const dates = rest.filter((r) => r.at);
      if (!dates.length) return void navigate('/bookings/:id', { params: { id: String(made.id) } });
      results = [{ words: full || made.when, reference: made.reference, fault: '' }];
      for (const r of dates) {
        try {
          const got = await data(api.POST('/api/bookings', { body: body(r.at) }));
          results.push({ words: r.words, reference: got.reference, fault: '' });
        } catch (cause) {
          results.push({ words: r.words, reference: '', fault: problemOf(cause).message });
        }
      }
      [start, full, weeks] = ['', '', 1];
    } catch (cause) {
      problem = problemOf(cause);
      if (problem.status) key = crypto.randomUUID(); // it was refused, and the next try is another booking
    } finally {
      busy = false;
    }
  }
  const ready = $derived(anyway ? date && time && staff && why.trim() : start);
</script>

<svelte:head><title>New booking · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl content-start gap-4 px-6 py-6">
  <header>
    <p class="text-sm text-mute"><a class="link-plain" href="/bookings">Bookings</a> › new</p>
    <h1 class="text-2xl">New booking</h1>
    <p class="text-mute">
      For a client who rings or stands before you. The same starts as on the page, and the same rules.
    </p>
  </header>
  <form class="grid items-start gap-4 lg:grid-cols-[minmax(0,1fr)_24rem]" onsubmit={book} novalidate>
    <section class="sheet grid gap-4 px-4 py-4" aria-label="What and when">
      <div class="flex flex-wrap gap-3">
        <Field label="Service" error={problem?.fields.service}>
          {#snippet children(tie)}
            <select
              class="select w-56"
              bind:value={service}
              onchange={() => ([start, full, length] = ['', '', 0])}
              {...tie}
            >
              {#each services.value ?? [] as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
            </select>
          {/snippet}
        </Field>
        {#if chosen?.lengths.length}
          <Field label="Length" error={problem?.fields.length}>
            {#snippet children(tie)}
              <select
                class="select w-32"
                bind:value={length}
                onchange={() => ([start, full] = ['', ''])}
                {...tie}
              >
                <option value={0}>{chosen.length} min</option>
                {#each chosen.lengths as m (m)}<option value={m}>{m} min</option>{/each}
              </select>
            {/snippet}
          </Field>
        {/if}
        {#if !joint && !anyway}
          <Field label="With">
            {#snippet children(tie)}
              <select class="select w-48" bind:value={staff} {...tie}>
                <option value={0}>anyone</option>
                {#each people as p (p.id)}<option value={p.id}>{p.name}</option>{/each}
              </select>
            {/snippet}
          </Field>
        {/if}
      </div>
      {#if anyway}
        <Anyway {people} fields={problem?.fields ?? {}} bind:date bind:time bind:staff bind:why />
        <button type="button" class="link-plain justify-self-start text-sm" onclick={() => (anyway = false)}
          >keep to the rules</button
        >
      {:else if chosen}
        <Starts
          slug={chosen.slug}
          {staff}
          {length}
          {zone}
          chosen={start}
          bind:from
          onchoose={(s) => ([start, full] = [s.at, s.full])}
        />
        <button type="button" class="link-plain justify-self-start text-sm" onclick={() => (anyway = true)}
          >a time that is not offered…</button
        >
      {/if}
    </section>
    <section class="sheet grid gap-3 px-4 py-4" aria-label="For whom">
      {#if start && !anyway}<p class="font-semibold">{full || 'The start that was asked about'}</p>{/if}
      <ForWhom bind:who venue={chosen?.venue} {problem} />
      {#if chosen?.questions?.length}
        <Asks asks={chosen.questions} bind:said faults={faultsOf(problem?.fields ?? {})} optional />
      {/if}
      <Field label="Note, which no client sees" error={problem?.fields.note}>
        {#snippet children(tie)}<textarea
            class="textarea w-full"
            rows="2"
            maxlength="2000"
            bind:value={note}
            {...tie}></textarea>{/snippet}
      </Field>
      {#if !anyway}
        <label class="flex flex-wrap items-center gap-2 text-sm"
          >Every week, for
          <input class="input input-sm w-16" type="number" min="1" max="12" bind:value={weeks} />
          {weeks === 1 ? 'week: once' : 'weeks'}</label
        >
        {#if rest.length}
          <ul class="grid gap-1 text-sm" aria-label="The weeks that follow">
            {#each rest as r (r.day)}
              <li>
                {#if r.at}<span class="text-moss">{r.words}</span>
                {:else}<span class="text-brick">{r.day}: not offered</span>
                  <span class="text-mute"
                    >({r.others ? `${r.others} other starts that day` : 'no start that day'}), it is left out</span
                  >{/if}
              </li>
            {/each}
          </ul>
        {/if}
      {/if}
      {#if problem && !Object.keys(problem.fields).length}
        <Notice tone="wrong">{problem.message}</Notice>
        {#if problem.nearest.length}
          <p class="flex flex-wrap gap-1.5 text-sm">
            {#each problem.nearest as n (n.at)}<button
                type="button"
                class="btn btn-xs"
                onclick={() => ([start, full, problem] = [n.at, n.full, undefined])}>{n.label}</button
              >{/each}
          </p>
        {/if}
      {/if}
      <button class="btn btn-primary" disabled={busy || !ready}
        >{busy
          ? 'Booking…'
          : anyway
            ? 'Book it anyway'
            : rest.some((r) => r.at)
              ? `Book ${1 + rest.filter((r) => r.at).length} visits`
              : 'Book it'}</button
      >
      <p class="text-sm text-mute">{clientHearsSentence()} Read the reference out.</p>
      {#if results.length}
        <ul class="grid gap-1 border-t border-base-300 pt-3 text-sm" role="status">
          {#each results as r (r.words)}
            <li>
              {#if r.reference}<b>{r.reference}</b> {r.words}{:else}<b class="text-brick">{r.words}</b>: {r.fault}{/if}
            </li>
          {/each}
        </ul>
      {/if}
    </section>
  </form>
</div>
