<script lang="ts">
  import { api, data, problemOf, type Problem } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import LinkCard from '$lib/links/LinkCard.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Told from '$lib/ui/Told.svelte';
  import Steps from '../proofs/Steps.svelte';
  import { sentence } from '../proofs/words';
  import { fresh } from '../service/form';
  import { session } from '../session.svelte';

  /** From nothing to a link that is proved: each step done in place, left out, or come back to. */
  type Key = 'business' | 'person' | 'hours' | 'link' | 'choose' | 'service' | 'page' | 'prove';
  const about: Record<Key, { title: string; text: string }> = {
    business: { title: 'The business', text: 'Its name, and by whose clock it lives.' },
    person: { title: 'A person', text: 'Somebody who sees clients. It may be you.' },
    hours: { title: 'Hours', text: 'When they work. Nothing is offered outside.' },
    link: { title: 'A link', text: 'The calendar in which they live, so that a busy hour is never sold.' },
    choose: { title: 'What calendars are for', text: 'Which block time, and which gets bookings.' },
    service: { title: 'A service', text: 'What clients book, and how long it takes.' },
    page: { title: 'The page', text: 'Where clients book it. Try it as one of them.' },
    prove: { title: 'The proof', text: 'That all of it works, shown step by step.' },
  };

  const beginning = query(() => data(api.GET('/api/beginning')));
  const begun = $derived(beginning.value);
  let picked = $state<Key>();
  const now = $derived(picked ?? begun?.steps.find((s) => !s.done && !s.skipped)?.key);
  const step = $derived(begun?.steps.find((s) => s.key === now));
  const done = $derived(begun?.steps.filter((s) => s.done).length ?? 0);
  const who = $derived(begun?.staff);
  const first = $derived(who?.name.split(' ')[0] ?? '');
  const zone = $derived(session.now?.business?.zone ?? 'UTC');

  let busy = $state(false);
  let problem = $state<Problem>();
  let [name, mail] = $state(['', ''] as [string, string]);
  let [from, to] = $state(['09:00', '17:00'] as [string, string]);
  let [service, minutes] = $state(['', 60] as [string, number]);
  let way = $state('');

  async function act(what: () => Promise<unknown>) {
    [busy, problem] = [true, undefined];
    try {
      await what();
      picked = undefined;
      await beginning.ask(() => data(api.GET('/api/beginning')));
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
  const person = () => act(() => api.POST('/api/staff', { body: { name, email: mail, zone } }));
  const hours = () =>
    act(async () => {
      const path = { params: { path: { id: who?.id ?? 0 } } };
      const have = await data(api.GET('/api/staff/{id}/hours', path));
      const day = { spans: [[from, to] as [string, string]] };
      const cycle = [Object.fromEntries(['mon', 'tue', 'wed', 'thu', 'fri'].map((d) => [d, day]))];
      await api.PUT('/api/staff/{id}/hours', {
        params: { ...path.params, header: { 'If-Match': `"${have.version}"` } },
        body: { patterns: [{ from: '2020-01-01', until: null, cycle }] },
      });
    });
  const offer = () =>
    act(() =>
      api.POST('/api/services', {
        body: { ...fresh, name: service, length: minutes, staff: who ? [who.id] : [] },
      }),
    );
  async function invite() {
    [busy, problem] = [true, undefined];
    try {
      const w = await data(
        api.POST('/api/staff/{id}/invitation', {
          params: { path: { id: who?.id ?? 0 } },
          body: { byMail: false },
        }),
      );
      way = location.origin + w.path;
    } catch (cause) {
      problem = problemOf(cause);
    } finally {
      busy = false;
    }
  }
  const links = query(
    async () =>
      who && (now === 'choose' || now === 'link')
        ? (await data(api.GET('/api/staff/{id}/links', { params: { path: { id: who.id } } }))).items
        : [],
    ['calendars'],
  );
  const proof = query(
    async () =>
      begun?.proof ? data(api.GET('/api/proofs/{id}', { params: { path: { id: begun.proof } } })) : undefined,
    ['proofs'],
  );
  const change = (body: {
    skip?: Exclude<Key, 'business'>;
    back?: Exclude<Key, 'business'>;
    over?: boolean;
  }) => act(() => api.POST('/api/beginning', { body }));
</script>

<svelte:head><title>Begin · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl content-start gap-5 px-6 py-6">
  <header class="flex flex-wrap items-start gap-3">
    <div class="grow">
      <h1 class="text-2xl">From nothing to a proof</h1>
      <p class="text-lg text-mute">
        {#if begun}{done} of {begun.steps.length} done. Each can be left out, and come back to; nothing here is
          needed to use the rest.{/if}
      </p>
    </div>
    {#if begun && !begun.over}
      <button type="button" class="btn btn-sm" disabled={busy} onclick={() => void change({ over: true })}
        >Put this away</button
      >
    {/if}
  </header>
  {#if beginning.problem}<Notice tone="wrong">{beginning.problem.message}</Notice>{/if}
  {#if begun}
    <div class="grid items-start gap-5 lg:grid-cols-[17rem_minmax(0,1fr)]">
      <ol class="sheet overflow-hidden" aria-label="Steps">
        {#each begun.steps as s, i (s.key)}
          <li>
            <button
              type="button"
              class="row"
              class:here={s.key === now}
              aria-current={s.key === now ? 'step' : undefined}
              onclick={() => ([picked, problem] = [s.key, undefined])}
            >
              <span class="arch {s.done ? 'done' : s.skipped ? 'skipped' : ''}" aria-hidden="true"
                >{i + 1}</span
              >
              <span
                ><b>{about[s.key].title}</b>
                <span class="text-sm text-mute">{s.done ? 'done' : s.skipped ? 'left out' : ''}</span></span
              >
            </button>
          </li>
        {/each}
      </ol>
      <section class="sheet grid gap-4 px-5 py-5" aria-label="Step">
        {#if !now || !step}
          <h2 class="text-xl">All is set up, and proved</h2>
          <p>
            A busy hour is not sold, and a sold hour appears outside. From here on, the wall is the place.
          </p>
          <p class="flex gap-3">
            <a class="btn btn-primary" href="/">To the wall</a>
            <a class="btn" href="/proofs">See the proof</a>
          </p>
        {:else}
          <div>
            <h2 class="text-xl">{about[now].title}</h2>
            <p class="text-mute">{about[now].text}</p>
          </div>
          {#if problem && !Object.keys(problem.fields).length}<Notice tone="wrong">{problem.message}</Notice
            >{/if}
          {#if now === 'business'}
            <p>
              <b>{session.now?.business?.name}</b>, by the clock of {zone}.
              <a class="link-plain" href="/settings">Change it</a>
            </p>
          {:else if now === 'person'}
            {#if step.done}<p>
                <b>{who?.name}</b> is there. <a class="link-plain" href="/team">Add others</a>
              </p>
            {:else}
              <form
                class="grid max-w-md gap-3"
                onsubmit={(e) => {
                  e.preventDefault();
                  void person();
                }}
                novalidate
              >
                <Field label="Name" error={problem?.fields.name}>
                  {#snippet children(tie)}<input class="input w-full" bind:value={name} {...tie} />{/snippet}
                </Field>
                <Field label="Mail address" hint="May stay empty." error={problem?.fields.email}>
                  {#snippet children(tie)}<input
                      class="input w-full"
                      type="email"
                      bind:value={mail}
                      {...tie}
                    />{/snippet}
                </Field>
                <button class="btn btn-primary justify-self-start" disabled={busy || !name.trim()}
                  >Add them</button
                >
              </form>
            {/if}
          {:else if !who}
            <p>
              Somebody has to be there first. <button
                type="button"
                class="link-plain"
                onclick={() => (picked = 'person')}>Add a person</button
              >
            </p>
          {:else if now === 'hours'}
            {#if step.done}<p>{first} has hours. <a class="link-plain" href="/team/{who.id}">Draw them</a></p>
            {:else}
              <form
                class="flex flex-wrap items-end gap-3"
                onsubmit={(e) => {
                  e.preventDefault();
                  void hours();
                }}
              >
                <Field label="Monday to Friday from">
                  {#snippet children(tie)}<input class="input w-28" bind:value={from} {...tie} />{/snippet}
                </Field>
                <Field label="to">
                  {#snippet children(tie)}<input class="input w-28" bind:value={to} {...tie} />{/snippet}
                </Field>
                <button class="btn btn-primary" disabled={busy}>Take these</button>
              </form>
              {#if problem}<p class="text-brick" role="alert">
                  {Object.values(problem.fields)[0] ?? ''}
                </p>{/if}
              <p class="text-sm text-mute">
                Breaks, other days, weeks in turn and holidays are <a class="link-plain" href="/team/{who.id}"
                  >drawn there</a
                >.
              </p>
            {/if}
          {:else if now === 'link'}
            {#if step.done}<p>
                {first} has linked a calendar.
                <a class="link-plain" href="/team/{who.id}/calendars">See it</a>
              </p>
            {:else}
              <p>
                {first} links their calendar alone, on a page of their own: nobody else is to know its password.
                If that is you, open the address in another window.
              </p>
              {#if way}
                <Told title="Hand this address to {first}" lines={[way]} ondone={() => (way = '')}>
                  It works once, for 7 days, and is not shown again. This page goes on by itself once it is
                  linked.
                </Told>
              {:else}
                <button
                  type="button"
                  class="btn btn-primary justify-self-start"
                  disabled={busy}
                  onclick={() => void invite()}>Make the address</button
                >
              {/if}
            {/if}
          {:else if now === 'choose'}
            {#if !begun.link}
              <p>
                A calendar has to be linked first. <button
                  type="button"
                  class="link-plain"
                  onclick={() => (picked = 'link')}>Link one</button
                >
              </p>
            {/if}
            {#each links.value ?? [] as link (link.id)}
              <LinkCard {link} onchanged={() => void beginning.ask(() => data(api.GET('/api/beginning')))} />
            {/each}
          {:else if now === 'service'}
            {#if step.done}<p>
                There is one. <a class="link-plain" href="/services/{begun.service}">See its rules</a>
              </p>
            {:else}
              <form
                class="flex flex-wrap items-end gap-3"
                onsubmit={(e) => {
                  e.preventDefault();
                  void offer();
                }}
                novalidate
              >
                <Field label="What it is called" error={problem?.fields.name}>
                  {#snippet children(tie)}<input class="input w-64" bind:value={service} {...tie} />{/snippet}
                </Field>
                <Field label="Minutes" error={problem?.fields.length}>
                  {#snippet children(tie)}<input
                      class="input w-24"
                      type="number"
                      min="5"
                      bind:value={minutes}
                      {...tie}
                    />{/snippet}
                </Field>
                <button class="btn btn-primary" disabled={busy || !service.trim()}
                  >Add it, with {first}</button
                >
              </form>
            {/if}
          {:else if now === 'page'}
            {#if begun.page}
              <p>
                Clients book at <a class="link-plain" href={begun.page} target="_blank" rel="noreferrer"
                  >{location.host}{begun.page}</a
                >. Book there as one of them; it is done once somebody has.
              </p>
            {:else}
              <p>
                A service has to be there first. <button
                  type="button"
                  class="link-plain"
                  onclick={() => (picked = 'service')}>Add one</button
                >
              </p>
            {/if}
          {:else if now === 'prove'}
            {#if begun.link}
              <p>It takes some seconds, and nobody is written to.</p>
              <button
                type="button"
                class="btn btn-primary justify-self-start"
                disabled={busy}
                onclick={() => void act(() => api.POST('/api/proofs', { body: { links: [begun.link] } }))}
                >Prove now</button
              >
            {:else}
              <p>
                A calendar has to be linked first. <button
                  type="button"
                  class="link-plain"
                  onclick={() => (picked = 'link')}>Link one</button
                >
              </p>
            {/if}
            {#if proof.value}
              <p>{sentence(proof.value)}</p>
              <Steps
                steps={proof.value.steps}
                picked=""
                onpick={() => location.assign(`/proofs?link=${begun.link}`)}
              />
            {/if}
          {/if}
          {#if now !== 'business' && !step.done}
            {@const key = now}
            <div class="border-t border-base-300 pt-3">
              {#if step.skipped}
                <button type="button" class="link-plain text-sm" onclick={() => void change({ back: key })}
                  >take it up again</button
                >
              {:else}
                <button type="button" class="link-plain text-sm" onclick={() => void change({ skip: key })}
                  >leave it out</button
                >
              {/if}
            </div>
          {/if}
        {/if}
      </section>
    </div>
  {/if}
</div>

<style>
  .row {
    display: grid;
    grid-template-columns: 30px minmax(0, 1fr);
    gap: 12px;
    align-items: center;
    width: 100%;
    padding: 9px 14px;
    border-bottom: 1px solid var(--color-base-300);
    text-align: left;
  }
  .row.here {
    background: var(--color-secondary);
  }
  .arch {
    display: grid;
    place-items: end center;
    width: 28px;
    height: 32px;
    padding-bottom: 3px;
    border: 2px dashed var(--color-mute);
    border-bottom-style: solid;
    border-radius: 14px 14px 0 0;
    font-size: 0.8125rem;
    font-weight: 700;
  }
  .arch.done {
    border-color: var(--color-moss-fill);
    border-style: solid;
    background: var(--color-moss-fill);
    color: var(--color-moss-ink);
  }
  .arch.skipped {
    border-style: dotted;
    color: var(--color-mute);
  }
</style>
