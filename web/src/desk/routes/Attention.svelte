<script lang="ts">
  import { api, data, problemOf, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import Item from '../attention/Item.svelte';
  import Settled from '../attention/Settled.svelte';
  import Sign from '../attention/Sign.svelte';
  import { sentence } from '../attention/words';

  /** One list of what went wrong or waits for a word: what hurts a client soonest stands first. */
  const sights = [
    ['now', 'to look at'],
    ['aside', 'put off or left'],
    ['settled', 'settled lately'],
  ] as const;
  let sight = $state<(typeof sights)[number][0]>('now');
  let kind = $state('');
  let person = $state(0);
  let chosen = $state(0);

  const list = query(() =>
    data(api.GET('/api/attention', { params: { query: { aside: sight === 'aside' } } })),
  );
  const all = $derived(list.value?.items ?? []);
  const people = $derived(
    [...new Map(all.flatMap((i) => (i.staff ? [[i.staff.id, i.staff] as const] : []))).values()].toSorted(
      (a, b) => a.name.localeCompare(b.name),
    ),
  );
  const kinds = $derived((list.value?.kinds ?? []).filter((k) => k.count > 0));
  const shown = $derived(
    all.filter((i) => (!kind || i.kind === kind) && (!person || i.staff?.id === person)),
  );
  const groups = $derived(
    [
      { label: 'by the end of tomorrow', items: shown.filter((i) => i.soon) },
      { label: 'can wait', items: shown.filter((i) => !i.soon) },
    ].filter((g) => g.items.length),
  );
  /** What was done last, and how it is undone. */
  let done = $state.raw<{ words: string; undo: () => Promise<unknown> }>();
  let fault = $state('');
  /** Several that are put off or left together. */
  let marked = $state<number[]>([]);
  const several = $derived(shown.filter((i) => marked.includes(i.id)));
  const ids = $derived(several.map((i) => i.id));
  async function together(what: Promise<unknown>, words: string) {
    const were = [...ids];
    fault = '';
    try {
      await what;
      done = { words, undo: () => api.POST('/api/attention/back', { body: { ids: were } }) };
      marked = [];
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
  async function undo() {
    const last = done;
    [done, fault] = [undefined, ''];
    try {
      await last?.undo();
    } catch (cause) {
      fault = problemOf(cause).message;
    }
  }
  const item = $derived(shown.find((i) => i.id === chosen) ?? shown[0]);
  // What a filter leaves nothing of is not filtered by any more.
  $effect(() => {
    if (list.value && kind && !all.some((i) => i.kind === kind)) kind = '';
    if (list.value && person && !all.some((i) => i.staff?.id === person)) person = 0;
  });
</script>

<svelte:head><title>Attention · Niche</title></svelte:head>

<div
  class="grid grow grid-cols-[minmax(0,1fr)] max-lg:content-start lg:grid-cols-[minmax(0,1fr)_26rem] lg:grid-rows-[1fr]"
>
  <div class="grid min-w-0 content-start gap-4 px-6 py-6">
    <header>
      <h1 class="text-2xl">Attention</h1>
      {#if list.value && sight === 'now'}
        <p class="text-lg text-mute">{sentence(list.value)}</p>
      {/if}
    </header>
    {#if list.problem}<Notice tone="wrong">{list.problem.message}</Notice>{/if}
    <div class="flex flex-wrap items-center gap-2">
      {#if sight !== 'settled'}
        <div class="flex flex-wrap gap-2" role="group" aria-label="Kinds">
          <button
            type="button"
            class="btn btn-sm"
            class:btn-secondary={kind === ''}
            aria-pressed={kind === ''}
            onclick={() => (kind = '')}>all {all.length || ''}</button
          >
          {#if sight === 'now'}
            {#each kinds as k (k.kind)}
              <button
                type="button"
                class="btn btn-sm"
                class:btn-secondary={kind === k.kind}
                aria-pressed={kind === k.kind}
                onclick={() => (kind = k.kind)}>{k.label} {k.count}</button
              >
            {/each}
          {/if}
        </div>
        {#if people.length > 1 || person}
          <select class="select select-sm w-44" aria-label="Whose" bind:value={person}>
            <option value={0}>everybody’s</option>
            {#each people as p (p.id)}<option value={p.id}>{p.name}</option>{/each}
          </select>
        {/if}
      {/if}
      <select class="select select-sm w-44 sm:ml-auto" aria-label="Which" bind:value={sight}>
        {#each sights as [key, label] (key)}
          <option value={key}
            >{label}{key === 'aside' && list.value?.putOff ? ` (${list.value.putOff})` : ''}</option
          >
        {/each}
      </select>
    </div>
    {#if fault}<Notice tone="wrong">{fault}</Notice>{/if}
    {#if done}
      <p class="flex items-center gap-3 rounded-md bg-secondary px-4 py-2" role="status">
        {done.words}
        <button type="button" class="link-plain" onclick={() => void undo()}>Undo</button>
        <button type="button" class="link-plain ml-auto text-sm" onclick={() => (done = undefined)}
          >well</button
        >
      </p>
    {/if}
    {#if several.length && sight === 'now'}
      <div class="sheet flex flex-wrap items-center gap-3 px-4 py-2" role="region" aria-label="Marked">
        <p class="grow"><b>{several.length}</b> marked.</p>
        <select
          class="select select-sm w-44"
          aria-label="Put them off until"
          value=""
          onchange={(e) => {
            const until = e.currentTarget.value as Shape<'PuttingOff'>['until'];
            void together(api.POST('/api/attention/put-off', { body: { ids, until } }), 'They are put off.');
          }}
        >
          <option value="" disabled>Put off until…</option>
          <option value="evening">this evening</option>
          <option value="tomorrow">tomorrow morning</option>
          <option value="week">in a week</option>
        </select>
        <button
          type="button"
          class="btn btn-sm"
          disabled={!several.every((i) => i.leave)}
          onclick={() =>
            void together(api.POST('/api/attention/leave', { body: { ids } }), 'They are left as they are.')}
          >Leave them</button
        >
        <button type="button" class="btn btn-sm" onclick={() => (marked = [])}>Unmark</button>
      </div>
    {/if}
    {#if sight === 'settled'}
      <Settled />
    {:else if groups.length}
      <div class="sheet overflow-hidden">
        {#each groups as g (g.label)}
          <h2 class="px-4 pt-3 pb-1 text-sm font-semibold text-mute">{g.label}</h2>
          <ul class="divide-y divide-base-300">
            {#each g.items as i (i.id)}
              <li class="relative">
                {#if sight === 'now' && shown.length > 1}
                  <input
                    class="checkbox checkbox-sm checkbox-primary mark"
                    type="checkbox"
                    aria-label="Mark: {i.title}"
                    value={i.id}
                    bind:group={marked}
                  />
                {/if}
                <button
                  type="button"
                  class="row"
                  class:markable={sight === 'now' && shown.length > 1}
                  class:here={i.id === item?.id}
                  aria-current={i.id === item?.id}
                  onclick={() => (chosen = i.id)}
                >
                  <Sign kind={i.kind} />
                  <span class="min-w-0">
                    <b class="block">{i.title}</b>
                    <span class="line-clamp-2 text-sm text-mute">{i.words}</span>
                  </span>
                  <span class="text-right text-sm text-mute">
                    {i.since}<span class="block">{i.hurts}</span>
                  </span>
                </button>
              </li>
            {/each}
          </ul>
        {/each}
      </div>
    {:else if list.value}
      <p class="sheet px-4 py-6 text-mute">
        {sight === 'aside' ? 'Nothing is put off or left.' : 'Nothing needs you.'}
        {list.value.holds}
      </p>
    {/if}
  </div>
  {#if item && sight !== 'settled'}
    <aside class="border-edge bg-base-100 px-6 py-6 max-lg:border-t lg:border-l" aria-label="What it is">
      {#key item.id}<Item {item} ondone={(words, back) => (done = { words, undo: back })} />{/key}
    </aside>
  {/if}
</div>

<style>
  .row {
    display: grid;
    grid-template-columns: 28px minmax(0, 1fr) auto;
    gap: 14px;
    align-items: start;
    width: 100%;
    padding: 11px 16px;
    border-left: 4px solid transparent;
    text-align: left;
  }
  .row.markable {
    padding-left: 44px;
  }
  .mark {
    position: absolute;
    top: 14px;
    left: 16px;
    z-index: 1;
  }
  .row.here {
    border-left-color: var(--color-primary);
    background: var(--color-base-200);
  }
  @media (max-width: 639px) {
    .row {
      grid-template-columns: 28px minmax(0, 1fr);
    }
    .row > :global(:last-child) {
      grid-column: 2;
      text-align: left;
    }
  }
</style>
