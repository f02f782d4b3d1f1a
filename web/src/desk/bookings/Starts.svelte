<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import DateInput from '$lib/ui/DateInput.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';

  /** Starts to choose from: those that a client would be offered, day by day from a date. */
  let {
    slug,
    staff,
    length = 0,
    zone,
    chosen,
    from = $bindable(''),
    onchoose,
  }: {
    slug: string;
    /** With whom; 0 for anyone. */
    staff: number;
    /** In minutes; 0 for the service's first. */
    length?: number;
    zone: string;
    /** The start that is chosen. */
    chosen: string;
    from?: string;
    onchoose: (start: Shape<'PageStart'>) => void;
  } = $props();

  const page = query(
    () =>
      data(
        api.GET('/api/pages/{slug}', {
          params: {
            path: { slug },
            query: { from: /^\d{4}-\d\d-\d\d$/.test(from) ? from : '', zone, clock: clock.kind, length },
          },
        }),
      ),
    ['bookings', 'calendars', 'rules'],
  );
  const days = $derived(
    (page.value?.days ?? []).map((d) => ({
      ...d,
      starts: d.starts.filter((s) => !staff || s.staff.includes(staff)),
    })),
  );
</script>

<div class="grid gap-3">
  <div class="flex flex-wrap items-center gap-3">
    <DateInput bind:value={from} small aria-label="Starts from" />
    {#if page.value?.earlier}<button
        type="button"
        class="btn btn-sm"
        onclick={() => (from = page.value?.earlier ?? '')}>Days before</button
      >{/if}
    {#if page.value?.later}<button
        type="button"
        class="btn btn-sm"
        onclick={() => (from = page.value?.later ?? '')}>Days after</button
      >{/if}
  </div>
  {#if page.problem}<Notice tone="wrong">{page.problem.message}</Notice>{/if}
  <dl class="grid gap-x-4 gap-y-2 text-sm sm:grid-cols-[10.5rem_minmax(0,1fr)]">
    {#each days as d (d.date)}
      <dt class="pt-1"><b>{d.title}</b> <span class="text-mute">{d.sub}</span></dt>
      <dd class="flex flex-wrap gap-1.5">
        {#each d.starts as s (s.at)}
          <button
            type="button"
            class={['btn btn-xs tabular-nums', s.at === chosen ? 'btn-primary' : '']}
            aria-pressed={s.at === chosen}
            aria-label={s.full}
            onclick={() => onchoose(s)}>{s.label}</button
          >
        {:else}<span class="pt-1 text-mute">{d.note || 'no start'}</span>{/each}
      </dd>
    {/each}
  </dl>
</div>
