<script lang="ts">
  import { api, data, problemOf, type Problem, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';
  import Lines from '../trail/Lines.svelte';

  /** Who changed what, over everything. */
  const kinds: [string, string][] = [
    ['', 'everything'],
    ['staff,hours,days', 'people and hours'],
    ['link,calendar,host', 'links and calendars'],
    ['service', 'services'],
    ['resource,closures', 'house'],
    ['booking', 'bookings'],
    ['administrator,settings', 'administrators and settings'],
  ];
  const asked = new URLSearchParams(location.search);
  let kind = $state(asked.get('kind') ?? '');
  const thing = Number(asked.get('thing') ?? 0);
  let who = $state(0);
  let more = $state<Shape<'TrailEntry'>[]>([]);
  let next = $state(0);
  let problem = $state<Problem>();

  const filter = $derived({
    kind: kind ? kind.split(',') : undefined,
    thing: thing || undefined,
    who: who || undefined,
    clock: clock.kind,
  });
  const administrators = query(() => data(api.GET('/api/administrators')), []);
  const first = query(async () => {
    const got = await data(api.GET('/api/trail', { params: { query: filter } }));
    [more, next] = [[], got.next];
    return got;
  }, []);
  const lines = $derived([...(first.value?.items ?? []), ...more]);
  async function older() {
    try {
      const got = await data(api.GET('/api/trail', { params: { query: { ...filter, before: next } } }));
      [more, next, problem] = [[...more, ...got.items], got.next, undefined];
    } catch (cause) {
      problem = problemOf(cause);
    }
  }
  const file = (format: string) =>
    `/api/trail/export?format=${format}&kind=${encodeURIComponent(kind)}&thing=${thing}&who=${who}`;
</script>

<svelte:head><title>Trail · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl content-start gap-4 px-6 py-6">
  <div>
    <p class="text-sm text-mute"><a class="hover:underline" href="/settings">Settings</a> ›</p>
    <h1 class="text-2xl">Trail</h1>
    <p class="text-mute">
      Who changed what, when and from where, and what it was before. The newest stands first.
    </p>
  </div>
  <div class="flex flex-wrap items-center gap-3">
    <label class="flex items-center gap-2 text-sm text-mute">
      Of
      <select class="select w-56 select-sm font-semibold text-ink" bind:value={kind}>
        {#if !kinds.some(([key]) => key === kind)}<option value={kind}>one thing</option>{/if}
        {#each kinds as [key, words] (key)}<option value={key}>{words}</option>{/each}
      </select>
    </label>
    <label class="flex items-center gap-2 text-sm text-mute">
      By
      <select class="select w-48 select-sm font-semibold text-ink" bind:value={who}>
        <option value={0}>anybody</option>
        {#each administrators.value?.items ?? [] as a (a.id)}<option value={a.id}>{a.name}</option>{/each}
      </select>
    </label>
    <span class="ml-auto text-sm text-mute"
      >As a file: <a class="link-plain" href={file('csv')} download>CSV</a>,
      <a class="link-plain" href={file('json')} download>JSON</a></span
    >
  </div>
  {#if first.problem ?? problem}<Notice tone="wrong">{(first.problem ?? problem)?.message}</Notice>{/if}
  {#if first.value}<Lines {lines} />{/if}
  {#if next}<button type="button" class="btn justify-self-start" onclick={() => void older()}
      >Older ones</button
    >{/if}
</div>
