<script lang="ts">
  import { searchParams } from 'sv-router';
  import { api, data, problemOf } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Earlier from '../proofs/Earlier.svelte';
  import Links from '../proofs/Links.svelte';
  import StepCard from '../proofs/StepCard.svelte';
  import Steps from '../proofs/Steps.svelte';
  import Timing from '../proofs/Timing.svelte';
  import { ended, sentence, worth } from '../proofs/words';

  /** Does it really work? Links with what is proved of them, and one proof with all its evidence. */
  let picked = $state('');
  let fault = $state('');

  const list = query(() => data(api.GET('/api/proofs')), ['proofs', 'calendars', 'time']);
  const links = $derived(list.value?.links ?? []);
  const link = $derived(links.find((l) => l.link === Number(searchParams.get('link') ?? 0)) ?? links[0]);
  /** An earlier proof that is looked at; otherwise the link's last. */
  const number = $derived(Number(searchParams.get('proof') ?? 0) || (link?.proof ?? 0));
  const proof = query(
    async () =>
      number ? data(api.GET('/api/proofs/{id}', { params: { path: { id: number } } })) : undefined,
    ['proofs'],
  );
  const shown = $derived(proof.value?.id === number ? proof.value : undefined);
  /** All links of the same person. */
  const theirs = $derived(links.filter((l) => l.staff.id === link?.staff.id).map((l) => l.link));
  const open = $derived(link && (link.state === 'waiting' || link.state === 'running'));
  const cards = $derived(shown ? (picked ? [picked] : worth(shown)) : []);
  const first = (name: string) => name.split(' ')[0];

  function choose(id: number) {
    picked = '';
    searchParams.delete('proof');
    searchParams.set('link', id);
  }
  async function act(what: Promise<unknown>) {
    fault = '';
    searchParams.delete('proof');
    picked = '';
    try {
      await what;
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
  const prove = (ids: number[]) => act(api.POST('/api/proofs', { body: { links: ids } }));
  const stop = (ids: number[]) => act(api.POST('/api/proofs/stop', { body: { links: ids } }));
</script>

<svelte:head><title>Proofs · Niche</title></svelte:head>

<div class="grid grow grid-cols-[minmax(0,1fr)] lg:grid-cols-[19rem_minmax(0,1fr)] lg:grid-rows-[1fr]">
  <aside
    class="flex flex-col border-edge bg-base-200 max-lg:border-b lg:sticky lg:top-0 lg:max-h-[calc(100dvh-3rem)] lg:self-start lg:border-r print:hidden"
    aria-label="Links"
  >
    <h2 class="px-4 pt-4 pb-2 text-sm font-semibold text-mute">Links, the least sure first</h2>
    <div class="min-h-24 overflow-y-auto max-lg:max-h-80 lg:grow">
      <Links {links} chosen={link?.link ?? 0} onchoose={choose} />
    </div>
    {#if list.value}
      <div class="grid flex-none gap-3 border-t border-base-300 p-4">
        {#if list.value.open}
          <button type="button" class="btn" onclick={() => stop([])}
            >Stop all ({list.value.open} to go)</button
          >
        {:else if links.length}
          <button type="button" class="btn btn-primary" onclick={() => prove([])}>Prove everyone</button>
          {#if list.value.stopped.length}
            {@const rest = list.value.stopped}
            <button type="button" class="btn" onclick={() => prove(rest)}
              >Go on with {rest.length === 1 ? 'the one' : `the ${rest.length}`} that {rest.length === 1
                ? 'was'
                : 'were'} stopped</button
            >
          {/if}
        {/if}
        <Timing schedule={list.value.schedule} />
      </div>
    {/if}
  </aside>
  <div class="grid min-w-0 content-start gap-4 px-6 py-6">
    {#if list.problem}<Notice tone="wrong">{list.problem.message}</Notice>{/if}
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if link}
      <header class="flex flex-wrap items-start gap-3">
        <div class="min-w-0 grow">
          <h1 class="text-2xl">Does {first(link.staff.name)}’s link hold?</h1>
          <p class="text-lg text-mute">
            {#if shown}{sentence(shown)}{:else if !number}It was never proved.{/if}
            {link.about}.
          </p>
          {#if shown}
            <p class="text-sm text-mute">
              {[
                `${link.staff.name} at ${link.host}`,
                shown.when,
                shown.service && `tried ${shown.service}, ${shown.start}`,
              ]
                .filter(Boolean)
                .join(' · ')}
            </p>
          {/if}
        </div>
        <div class="flex gap-2 print:hidden">
          {#if shown && ended(shown)}
            <button type="button" class="btn btn-sm" onclick={() => window.print()}>Print</button>
            <a class="btn btn-sm" href="/api/proofs/{shown.id}/export" download>As JSON</a>
          {/if}
          {#if open}
            <button type="button" class="btn btn-sm" onclick={() => stop([link.link])}>Stop</button>
          {:else}
            {#if theirs.length > 1}
              <button type="button" class="btn btn-sm" onclick={() => prove(theirs)}
                >Prove {theirs.length === 2 ? 'both' : `all ${theirs.length}`} of {first(
                  link.staff.name,
                )}’s</button
              >
            {/if}
            <button type="button" class="btn btn-primary btn-sm" onclick={() => prove([link.link])}
              >Prove now</button
            >
          {/if}
        </div>
      </header>
      {#if shown}
        {#if shown.id !== link.proof}
          <Notice>
            This is an earlier proof.
            <button type="button" class="link-plain" onclick={() => searchParams.delete('proof')}
              >Show the last one</button
            >
          </Notice>
        {/if}
        <Steps steps={shown.steps} {picked} onpick={(key) => (picked = key)} />
        {#if shown.leftOver && ended(shown)}
          <Notice>
            Something that this proof wrote may still be outside. It is tried every minute to take it away; it
            is called “Niche proof”.
          </Notice>
        {/if}
        <div class="grid items-start gap-4 xl:grid-cols-2">
          {#each shown.steps as s, i (s.key)}
            {#if s.state !== 'waiting'}
              {@const place = cards.indexOf(s.key)}
              <div
                class={place < 0 ? 'hidden print:block' : 'print:order-none'}
                style:--place={place}
                class:placed={place >= 0}
              >
                <StepCard step={s} at={i + 1} />
              </div>
            {/if}
          {/each}
        </div>
        {#each shown.compared as c (c.proof)}
          <p class="rounded-sm border-l-4 border-edge bg-base-100 px-3 py-2 text-sm">
            <b>Compared with {c.with}:</b>
            {c.words}.
          </p>
        {/each}
        <Earlier
          link={link.link}
          shown={shown.id}
          onshow={(id) => {
            picked = '';
            searchParams.set('proof', id);
          }}
        />
      {:else if proof.problem}
        <Notice tone="wrong">{proof.problem.message}</Notice>
      {:else if !number && !open}
        <p class="sheet px-4 py-6 text-mute">
          A proof writes a busy event where a start is offered and sees the start go; takes a test booking and
          sees it outside; and takes all of it away again. It lasts some seconds.
        </p>
      {/if}
    {:else if list.value}
      <h1 class="text-2xl">Proofs</h1>
      <p class="sheet px-4 py-6 text-mute">
        {list.value.words} <a class="link-plain" href="/team">Ask somebody to link a calendar</a>
      </p>
    {/if}
  </div>
</div>

<style>
  /* On the screen what failed stands first; on paper steps stand in their order. */
  @media screen {
    .placed {
      order: var(--place);
    }
  }
</style>
