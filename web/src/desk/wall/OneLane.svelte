<script lang="ts">
  import { api, data } from '$lib/api/client';
  import { query } from '$lib/api/query.svelte';
  import Hours from '$lib/lane/Hours.svelte';
  import Lane from '$lib/lane/Lane.svelte';
  import { clock } from '../clock.svelte';
  import { navigate } from '../router';
  import { axisOf, layersOf } from './layers';

  /** One person's day, with a visit that is looked at. */
  let {
    date,
    staff,
    service = 0,
    visit,
  }: {
    date: string;
    staff: number;
    /** Whose starts stand on the sill; 0 for the first. */ service?: number;
    visit: number;
  } = $props();

  const week = query(
    () => data(api.GET('/api/wall/week', { params: { query: { date, staff, service, clock: clock.kind } } })),
    ['bookings', 'calendars', 'rules'],
  );
  const lane = $derived.by(() => {
    const i = week.value?.days.findIndex((d) => d.date === date) ?? -1;
    return week.value?.people[0]?.days[i];
  });
  const axis = $derived(lane ? axisOf(lane) : { from: 0, to: 1 });
  const marks = $derived(
    (week.value?.hours ?? []).map((label, i) => ({ at: axis.from + i * 3_600_000, label })).slice(1),
  );
</script>

{#if lane && week.value}
  <section aria-label="The day of {lane.staff.name}">
    <Hours {axis} {marks} />
    <div class="h-24">
      <Lane
        {axis}
        layers={layersOf(week.value, lane)}
        picked={String(visit)}
        onask={() => void navigate('/', { search: { date, visit: String(visit) } })}
      />
    </div>
    <p class="pt-1 text-sm text-mute">
      {lane.staff.name}’s day.
      <a class="link-plain" href="/?date={date}&visit={visit}{service ? `&service=${service}` : ''}"
        >See it on the wall</a
      >
    </p>
  </section>
{/if}
