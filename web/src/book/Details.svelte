<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { onMount, tick } from 'svelte';
  import { answersOf, faultsOf } from '$lib/ask/ask';
  import Field from '$lib/ui/Field.svelte';
  import { prefilled, remember, remembered, type freshDetails } from './settings';
  import { reached } from './steps';
  import Notice from '$lib/ui/Notice.svelte';

  /** The last step: who the client is. */
  let {
    slug,
    page,
    chosen,
    staff,
    clock,
    length,
    places,
    moving,
    typed = $bindable(),
    forms,
    nearest,
    onback,
    onbooked,
    onmove,
  }: {
    slug: string;
    page: Shape<'Page'>;
    chosen: { at: string; full: string };
    staff: number;
    clock: '12' | '24';
    /** One of the service's lengths, 0 for its first. */
    length: number;
    places: number;
    /** The token of the booking that is to be moved here, if one is. */
    moving: string;
    typed: ReturnType<typeof freshDetails>;
    /** What the page has given to be sent along: it says since when it is looked at. */
    forms: { first: string };
    /** Where the chosen start has gone meanwhile: those that are nearest to it. */
    nearest: Shape<'PageStart'>[] | undefined;
    onback: () => void;
    onbooked: (booked: Shape<'Booked'>) => void;
    /** Another start is chosen, after this one turned out to be taken. */
    onmove: (start: { at: string; full: string; staff: number[] }) => void;
  } = $props();

  const before = remembered();
  const { trial } = prefilled();
  const asks = $derived(page.asks);
  /** The questions come when they are needed: most pages have none. */
  const questions = $derived(asks.length && !moving ? import('$lib/ask/Asks.svelte') : undefined);
  onMount(() => reached(slug, 'details'));
  let form = $state<HTMLFormElement>();
  let busy = $state(false);
  let problem = $state<Problem>();
  /** A code was sent to the mail address, and is to be typed. */
  let codeAsked = $state(false);
  /** Made once for each booking that is wanted, so that a cut line books it once. */
  let key = crypto.randomUUID();

  async function book(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = undefined;
    try {
      if (moving) {
        const params = { path: { token: moving }, query: { clock } };
        onbooked(
          await data(
            api.POST('/api/my-bookings/{token}/move', { params, body: { start: chosen.at, staff } }),
          ),
        );
        return;
      }
      const { name, email, phone, address, code, website, said, keep } = typed;
      const body = {
        ...{ start: chosen.at, staff, length, places, name, email, zone: page.zone, clock, key },
        ...(phone && page.phone !== 'no' ? { phone } : {}),
        ...(page.venue === 'theirs' ? { address } : {}),
        ...(code ? { code } : {}),
        ...(website ? { website } : {}),
        ...(trial ? { trial } : {}),
        form: forms.first,
        ...(asks.length ? { answers: answersOf(asks, said) } : {}),
      };
      remember(keep ? { name, email, phone, address } : undefined);
      onbooked(await data(api.POST('/api/pages/{slug}/bookings', { params: { path: { slug } }, body })));
    } catch (cause) {
      problem = problemOf(cause);
      codeAsked ||= !!problem.fields.code;
      if (problem.status) key = crypto.randomUUID(); // it was refused, and the next try is another booking
      await tick();
      form?.querySelector<HTMLElement>('[aria-invalid="true"], [data-invalid] input')?.focus();
    } finally {
      busy = false;
    }
  }

  function move(start: { at: string; full: string; staff: number[] }) {
    problem = undefined;
    onmove(start);
  }
</script>

<form
  class="sheet mx-auto grid w-full max-w-xl grid-cols-[minmax(0,1fr)] gap-4 p-6"
  onsubmit={book}
  novalidate
  bind:this={form}
>
  <div>
    <h2 class="text-xl text-balance break-words">{chosen.full}</h2>
    <p class="text-mute">{page.service}, {page.length}{page.place ? ` · ${page.place}` : ''}</p>
  </div>
  {#if problem && Object.keys(problem.fields).length === 0}
    <div class="grid gap-3" role="alert">
      <Notice tone="wrong">{problem.message}</Notice>
      {#if problem.nearest.length}
        <div>
          <p class="mb-2 font-semibold">The nearest that are still free</p>
          <div class="flex flex-wrap gap-2">
            {#each problem.nearest as s (s.at)}
              <button type="button" class="btn btn-secondary" onclick={() => move(s)}>{s.label}</button>
            {/each}
          </div>
        </div>
      {/if}
    </div>
  {/if}
  {#if nearest && !busy && !problem?.nearest.length}
    <div class="grid gap-3" role="alert">
      <Notice tone="wrong">This time has just been taken. What you typed stays.</Notice>
      <div class="flex flex-wrap gap-2">
        {#each nearest as s (s.at)}
          <button type="button" class="btn btn-secondary" onclick={() => move(s)}>{s.full}</button>
        {/each}
      </div>
    </div>
  {/if}
  {#if !moving}
    {#if page.details}<h3 class="text-lg text-balance break-words">{page.details}</h3>{/if}
    <Field label="Your name" error={problem?.fields.name}>
      {#snippet children(tie)}<input
          class="input w-full"
          autocomplete="name"
          bind:value={typed.name}
          {...tie}
        />{/snippet}
    </Field>
    <Field label="Mail address" hint="You hear there of this booking." error={problem?.fields.email}>
      {#snippet children(tie)}
        <input class="input w-full" type="email" autocomplete="email" bind:value={typed.email} {...tie} />
      {/snippet}
    </Field>
    {#if page.phone !== 'no'}
      <Field
        label={page.phone === 'must' ? 'Telephone' : 'Telephone (if you like)'}
        error={problem?.fields.phone}
      >
        {#snippet children(tie)}
          <input
            class="input w-full"
            type="tel"
            autocomplete="tel"
            maxlength="40"
            bind:value={typed.phone}
            {...tie}
          />
        {/snippet}
      </Field>
    {/if}
    {#if page.venue === 'theirs'}
      <Field label="Where is it to be?" hint="Your address." error={problem?.fields.address}>
        {#snippet children(tie)}
          <textarea
            class="textarea w-full"
            rows="2"
            autocomplete="street-address"
            maxlength="500"
            bind:value={typed.address}
            {...tie}></textarea>
        {/snippet}
      </Field>
    {/if}
    <!-- Nobody sees this: only what fills every field without reading does. -->
    <div class="absolute -left-[9999px]" aria-hidden="true">
      <label>Website <input tabindex="-1" autocomplete="off" bind:value={typed.website} /></label>
    </div>
    {#await questions then part}
      {#if part}<part.default
          {slug}
          {asks}
          bind:said={typed.said}
          faults={faultsOf(problem?.fields ?? {})}
        />{/if}
    {/await}
    {#if codeAsked}
      <Field label="Code from the mail" error={problem?.fields.code}>
        {#snippet children(tie)}<input
            class="input w-40 tabular-nums"
            autocomplete="one-time-code"
            maxlength="12"
            bind:value={typed.code}
            {...tie}
          />{/snippet}
      </Field>
    {/if}
    <div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
      <label class="flex items-center gap-2"
        ><input class="checkbox checkbox-sm" type="checkbox" bind:checked={typed.keep} /> Remember my details on
        this device</label
      >
      {#if before}
        <button
          type="button"
          class="link-plain"
          onclick={() => {
            remember(undefined);
            Object.assign(typed, { name: '', email: '', phone: '', address: '', keep: false });
          }}>forget them</button
        >
      {/if}
    </div>
  {/if}
  <div class="flex flex-wrap gap-2">
    <button class="btn btn-accent grow" disabled={busy}
      >{moving
        ? busy
          ? 'Moving…'
          : 'Move it here'
        : busy
          ? 'Booking…'
          : page.button || (page.price ? 'Book and pay' : 'Book it')}</button
    >
    <button type="button" class="btn" onclick={onback}>Another time</button>
  </div>
</form>
