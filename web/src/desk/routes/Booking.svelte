<script lang="ts">
  import { clientHearsSentence } from '../hears';
  import Messages from '../bookings/Messages.svelte';
  import { searchParams } from 'sv-router';
  import { api, data, problemOf } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import CopySign from '../bookings/CopySign.svelte';
  import Elsewhere from '../bookings/Elsewhere.svelte';
  import { clock } from '../clock.svelte';
  import { route } from '../router';
  import OneLane from '../wall/OneLane.svelte';
  import Sold from '../wall/Sold.svelte';

  /** One booking, with all that is known of it. */
  const id = $derived(Number(route.params.id));
  const answer = query(
    () => data(api.GET('/api/bookings/{id}', { params: { path: { id }, query: { clock: clock.kind } } })),
    ['bookings', 'calendars'],
  );
  const b = $derived(answer.value?.id === id ? answer.value : undefined);
  let doing = $state<'' | 'move' | 'note' | 'cancel'>('');
  $effect(() => {
    const asked = searchParams.get('do');
    if (asked === 'move' || asked === 'note' || asked === 'cancel') doing = asked;
  });
  let note = $state('');
  let busy = $state(false);
  let fault = $state('');
  const path = $derived({ params: { path: { id } } });
  const first = (name: string) => name.split(' ')[0];

  async function act(what: () => Promise<unknown>) {
    [busy, fault] = [true, ''];
    try {
      await what();
      doing = '';
    } catch (cause) {
      const p = problemOf(cause);
      fault = Object.values(p.fields)[0] ?? p.message;
    } finally {
      busy = false;
    }
  }
  const keep = (change: { note?: string; missed?: boolean }) =>
    act(() =>
      api.PUT('/api/bookings/{id}/note', {
        ...path,
        body: { note: change.note ?? b?.note ?? '', missed: change.missed ?? b?.missed ?? false },
      }),
    );
  const toggle = (what: typeof doing) => {
    fault = '';
    note = b?.note ?? '';
    doing = doing === what ? '' : what;
  };
</script>

<svelte:head><title>{b ? `${b.client}, ${b.service}` : 'Booking'} · Niche</title></svelte:head>

{#if answer.problem && !b}
  <div class="mx-auto w-full max-w-6xl p-6"><Notice tone="wrong">{answer.problem.message}</Notice></div>
{:else if b}
  <div class="grid grow grid-cols-[minmax(0,1fr)] lg:grid-cols-[minmax(0,1fr)_25rem] lg:grid-rows-[1fr]">
    <div class="grid min-w-0 content-start gap-4 px-6 py-6">
      <header>
        <p class="text-sm text-mute">
          <a class="link-plain" href="/bookings">Bookings</a> › {b.reference}
        </p>
        <h1 class="text-2xl">{b.client}, {b.service}</h1>
        <p class="text-lg text-mute">
          {b.when} with <b class="text-ink">{b.staff}</b>{#if b.link}, <a
              class="link-plain"
              href={b.link}
              target="_blank"
              rel="noopener">online</a
            >{:else if b.place}, {b.place.startsWith('At ') ||
            b.place.startsWith('By ') ||
            b.place === 'Online'
              ? b.place.charAt(0).toLowerCase() + b.place.slice(1)
              : b.place}{/if}. {b.until.charAt(0).toUpperCase() + b.until.slice(1)}.
          {#if b.status !== 'confirmed'}<b class="text-brick"
              >{b.status === 'pending' ? 'Waits for your word' : 'Cancelled'}.</b
            >{/if}
          {#if b.trial}<b>A trial, which goes by itself.</b>{/if}
          {#if b.missed}<b class="text-brick">The client did not come.</b>{/if}
        </p>
      </header>
      {#if b.status !== 'cancelled'}
        <div class="flex flex-wrap gap-2">
          {#if b.status === 'pending'}
            <button
              type="button"
              class="btn btn-primary"
              disabled={busy}
              onclick={() =>
                void act(() => api.POST('/api/bookings/{id}/decision', { ...path, body: { accept: true } }))}
              >Confirm it</button
            >
          {:else}
            <button
              type="button"
              class={['btn', doing === 'move' ? 'btn-secondary' : 'btn-primary']}
              aria-expanded={doing === 'move'}
              onclick={() => toggle('move')}>Move, or hand over…</button
            >
          {/if}
          <button type="button" class="btn" aria-expanded={doing === 'note'} onclick={() => toggle('note')}
            >Note…</button
          >
          {#if !b.ahead && b.status === 'confirmed'}
            <button type="button" class="btn" disabled={busy} onclick={() => void keep({ missed: !b.missed })}
              >{b.missed ? 'They did come' : 'Nobody came'}</button
            >
          {/if}
          <button
            type="button"
            class="btn ml-auto text-brick"
            aria-expanded={doing === 'cancel'}
            onclick={() => toggle('cancel')}>Cancel…</button
          >
        </div>
      {:else}
        <div class="flex gap-2">
          <button type="button" class="btn" aria-expanded={doing === 'note'} onclick={() => toggle('note')}
            >Note…</button
          >
        </div>
      {/if}
      {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
      {#if doing === 'move'}
        <Elsewhere booking={b} onmoved={() => (doing = '')} />
      {:else if doing === 'note'}
        <form
          class="sheet grid gap-3 px-4 py-4"
          onsubmit={(e) => {
            e.preventDefault();
            void keep({ note });
          }}
        >
          <label class="grid gap-1 text-sm font-semibold"
            >Note, which no client sees
            <textarea class="textarea w-full" rows="3" maxlength="2000" bind:value={note}></textarea></label
          >
          <div class="flex gap-2">
            <button class="btn btn-primary btn-sm" disabled={busy}>Keep it</button>
            <button type="button" class="btn btn-sm" onclick={() => (doing = '')}>Leave it</button>
          </div>
        </form>
      {:else if doing === 'cancel'}
        <div class="sheet flex flex-wrap items-center gap-3 px-4 py-3" role="alert">
          <p class="grow">
            Its time is free at once, and its copies are removed. {clientHearsSentence()} This cannot be undone.
          </p>
          <button
            type="button"
            class="btn btn-error"
            disabled={busy}
            onclick={() => void act(() => api.POST('/api/bookings/{id}/cancel', path))}
            >Cancel the booking</button
          >
          <button type="button" class="btn" onclick={() => (doing = '')}>Keep it</button>
        </div>
      {/if}
      {#if b.room}<Notice>{b.room}</Notice>{/if}
      {#if b.clash}
        <Notice tone="wrong">{b.clash} <a class="link-plain" href="/attention">Settle it</a></Notice>
      {/if}
      {#if b.status !== 'cancelled'}
        {#each b.staffIds as who (who.id)}
          <div class="sheet px-4 pt-1 pb-3">
            <OneLane date={b.date} staff={who.id} service={b.serviceId} visit={b.visit} />
          </div>
        {/each}
      {/if}
      <div class="grid items-start gap-4 xl:grid-cols-2">
        <section class="sheet px-4 py-3">
          <h2 class="text-base font-bold">
            {#if b.clientId}<a class="hover:underline" href="/clients/{b.clientId}">Client</a
              >{:else}Client{/if}
          </h2>
          <dl class="said mt-1">
            <dt>Mail</dt>
            <dd class="break-all">{b.email}</dd>
            {#if b.phone}<dt>Telephone</dt>
              <dd><a class="link-plain" href="tel:{b.phone}">{b.phone}</a></dd>{/if}
            <dt>Own zone</dt>
            <dd>{b.zone}</dd>
            {#if b.coming}<dt>Comes?</dt>
              <dd class={b.coming.startsWith('not') ? 'font-semibold text-brick' : ''}>{b.coming}</dd>{/if}
            {#if b.wish}<dt>Wish</dt>
              <dd>
                rather {b.wish.words}
                <a class="link-plain" href="/bookings/{b.id}?do=move&from={b.wish.date}"
                  >see the starts around it</a
                >
              </dd>{/if}
            {#if b.places > 1}<dt>Places</dt>
              <dd>{b.places}</dd>{/if}
            <dt>Visits</dt>
            <dd>
              {#if b.before}<a class="link-plain" href="/clients/{b.clientId}">{b.before} before</a>, {b.missedThen
                  ? `${b.missedThen} missed`
                  : 'none missed'}{:else}the first one{/if}
            </dd>
            {#if b.others.length}
              <dt>Also on it</dt>
              <dd>
                {#each b.others as o, i (o.id)}{i ? ', ' : ''}<a class="link-plain" href="/bookings/{o.id}"
                    >{o.client}</a
                  >{/each}
              </dd>
            {/if}
            <dt>Made</dt>
            <dd>
              {b.made}{b.madeBy ? `, by ${b.madeBy} at the desk` : ', on the page'}{b.network
                ? `, from ${b.network}`
                : ''}
            </dd>
            {#if b.payment}<dt>Paid</dt>
              <dd>
                {b.payment.amount}, {b.payment.state}{b.payment.reason ? `. ${b.payment.reason}` : ''}
              </dd>{/if}
            {#if b.overruled}<dt>Overruled</dt>
              <dd>Rules refused it: “{b.overruled}”</dd>{/if}
            {#each b.answers as a (a.key)}
              <dt class="said-to">{a.label}</dt>
              <dd class="whitespace-pre-line">
                {#if a.files?.length}{#each a.files as file, i (file.id)}{i ? ', ' : ''}<a
                      class="link-plain break-all"
                      href="/api/files/{file.id}"
                      download={file.name}>{file.name}</a
                    >{/each}{:else}{(a.said ?? []).join(', ')}{/if}
              </dd>
            {/each}
            {#if b.note}<dt>Note</dt>
              <dd class="whitespace-pre-line">{b.note}</dd>{/if}
          </dl>
        </section>
        <div class="grid gap-4">
          <section class="sheet px-4 py-3">
            <h2 class="text-base font-bold">Where it stands outside</h2>
            <ul class="mt-1 divide-y divide-base-300 border-t border-base-300">
              {#each b.copies as c (c.id)}
                <li class="py-2">
                  <div class="flex items-baseline gap-2">
                    <b>{c.calendar}</b>
                    <span class="text-mute">{first(c.staff)}{c.part ? `, time ${c.part}` : ''}</span>
                    <span class="ml-auto text-sm"
                      >{#if c.going}to be removed{:else}<CopySign state={c.state} />{/if}</span
                    >
                  </div>
                  {#if c.words}<p class="text-sm text-mute">{c.words}</p>{/if}
                </li>
              {:else}
                <li class="py-2 text-mute">
                  {b.status === 'cancelled' ? 'Nothing is left outside.' : 'It is written to no calendar.'}
                </li>
              {/each}
            </ul>
            {#if b.copies.some((c) => !c.going)}
              <button
                type="button"
                class="link-plain text-sm"
                disabled={busy}
                onclick={() =>
                  void act(() => api.POST('/api/visits/{id}/copies', { params: { path: { id: b.visit } } }))}
                >write it again</button
              >
            {/if}
            <div class="mt-2 grid gap-1 border-t border-base-300 pt-2 text-sm">
              {#if b.picked}<p class="text-mute">{b.picked}</p>{/if}
              {#if b.things.length}<p class="text-mute">With {b.things.join(', ')}.</p>{/if}
              <Sold booking={b.id} />
            </div>
          </section>
          <Messages booking={b.id} list={b.messages} ahead={b.status !== 'cancelled'} />
        </div>
      </div>
    </div>
    <aside class="border-edge bg-base-100 px-6 py-6 max-lg:border-t lg:border-l" aria-label="What happened">
      <h2 class="text-base font-bold">What happened</h2>
      <ol class="mt-3 grid gap-3">
        {#each b.happened as h, i (i)}
          <li class="grid grid-cols-[8rem_1rem_minmax(0,1fr)] gap-2 text-sm">
            <span class="text-right text-mute">{h.when}</span>
            <svg viewBox="0 0 12 14" width="12" height="14" class="mt-1 {h.kind}" aria-hidden="true"
              ><path d="M1 13V6a5 5 0 0 1 10 0v7z" /></svg
            >
            <span
              >{h.words}{#if h.more}<span class="block text-mute">{h.more}</span>{/if}</span
            >
          </li>
        {/each}
      </ol>
    </aside>
  </div>
{/if}

<style>
  .said {
    display: grid;
    grid-template-columns: 6rem minmax(0, 1fr);
    gap: 6px 8px;
    font-size: 0.9375rem;
  }
  .said dt {
    color: var(--color-mute);
  }
  /* A question has a line of its own, and its answer the next. */
  .said dt.said-to,
  .said dt.said-to + dd {
    grid-column: 1 / -1;
  }
  .said dt.said-to + dd {
    margin-top: -4px;
    font-weight: 600;
  }
  svg.booking {
    fill: var(--color-primary);
  }
  svg.copy {
    fill: var(--color-moss-fill);
  }
  svg.clash {
    fill: var(--color-gold);
  }
</style>
