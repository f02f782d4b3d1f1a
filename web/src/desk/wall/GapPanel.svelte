<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { api, data, type Shape } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import { reasonWords } from '$lib/lane/reasons';
  import Notice from '$lib/ui/Notice.svelte';
  import { clock } from '../clock.svelte';

  /** What could be booked in a stretch of somebody's day that was drawn on the wall. */
  let {
    staff,
    from,
    to,
    onask,
    onclose,
  }: {
    staff: number;
    from: string;
    to: string;
    /** Asks why a service is refused at a start. */
    onask: (service: number, at: string) => void;
    onclose: () => void;
  } = $props();

  const answer = query(
    () => data(api.GET('/api/gap', { params: { query: { staff, from, to, clock: clock.kind } } })),
    ['bookings', 'rules', 'calendars', 'time'],
  );
  const gap = $derived(answer.value);
  const offered = $derived(gap?.visits.filter((v) => v.offered) ?? []);
  const refused = $derived(gap?.visits.filter((v) => !v.offered) ?? []);
  const book = (v: Shape<'GapVisit'>) =>
    `/bookings/new?service=${v.service.id}&staff=${staff}&length=${v.length}&start=${encodeURIComponent(v.at)}`;
</script>

<aside class="aside w-88 flex-none border-l border-edge bg-base-100 p-4" aria-label="Book here">
  <div class="flex items-start justify-between gap-2">
    <p class="text-sm text-mute">{gap ? `With ${gap.staff.name}` : ''}</p>
    <button class="btn btn-square btn-ghost btn-xs" aria-label="Close" onclick={onclose}
      ><X size={16} /></button
    >
  </div>
  {#if answer.problem}<Notice tone="wrong">{answer.problem.message}</Notice>{/if}
  {#if gap}
    <h2 class="text-lg">{gap.words}</h2>
    {#if offered.length}
      <p class="mt-1 text-mute">Which visit begins here?</p>
      <ul class="mt-2 grid gap-1.5">
        {#each offered as v (`${v.service.id} ${v.length}`)}
          <li>
            <a class="visit" href={book(v)} style="--hue:var(--color-hue-{v.hue})"
              ><b>{v.service.name}</b><span>{v.words}</span></a
            >
          </li>
        {/each}
      </ul>
    {:else if gap.services}
      <p class="mt-1 font-semibold text-brick" role="status">
        {gap.visits.length ? 'Nothing is offered here.' : 'No visit begins in this stretch.'}
      </p>
    {:else}
      <p class="mt-1 text-mute">
        {gap.staff.name} performs no service.
        <a class="link-plain" href="/services">Give {gap.staff.name.split(' ')[0]} one</a>
      </p>
    {/if}
    {#if refused.length}
      <h3 class="pt-4 pb-1 text-sm font-bold">Refused here</h3>
      <ul class="grid gap-2 text-sm">
        {#each refused as v (`${v.service.id} ${v.length}`)}
          <li>
            <b>{v.service.name}</b>, {v.words}: {reasonWords(v.reasons)}
            <button type="button" class="link-plain" onclick={() => onask(v.service.id, v.at)}
              >every rule</button
            >
          </li>
        {/each}
      </ul>
    {/if}
  {/if}
</aside>

<style>
  .visit {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: 0 12px;
    padding: 8px 12px;
    border-left: 5px solid var(--hue);
    border-radius: 3px;
    background: var(--color-base-200);
    font-variant-numeric: tabular-nums;
  }
  .visit:hover {
    background: var(--color-secondary);
  }
</style>
