<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { listen } from '$lib/api/live';
  import { lengthOf } from '$lib/hours/wallclock';

  let services = $state<Shape<'Service'>[]>();
  let more = $state(0);

  async function load(page = 1) {
    const got = await data(api.GET('/api/services', { params: { query: { page } } }));
    services = page === 1 ? got.items : [...(services ?? []), ...got.items];
    more = got.next;
  }
  void load();
  $effect(() => listen(() => void load()));
</script>

<svelte:head><title>Services · Niche</title></svelte:head>

<div class="mx-auto grid w-full max-w-6xl gap-5 px-6 py-6">
  <div class="flex items-end justify-between gap-4">
    <div>
      <h1 class="text-2xl">Services</h1>
      <p class="text-mute">What can be booked, and by which rules.</p>
    </div>
    <a class="btn btn-primary" href="/services/new">Define a service</a>
  </div>
  {#if services?.length === 0}
    <div class="grid gap-3 py-10">
      <h2 class="text-xl">No service yet</h2>
      <p class="max-w-lg">
        A service says how long a visit lasts, when it can start, and who performs it. Its page can be sent to
        clients at once.
      </p>
    </div>
  {:else if services}
    <ul class="sheet divide-y divide-base-300">
      {#each services as s (s.id)}
        <li class="service">
          <span class="block" style="background:var(--color-hue-{s.hue})" aria-hidden="true"></span>
          <div>
            <a class="text-base font-bold hover:underline" href="/services/{s.id}">{s.name}</a>
            <p class="text-sm text-mute">{s.place || 'no place given'}</p>
          </div>
          <div class="text-sm">
            <p>{lengthOf(s.length)}, every {lengthOf(s.step)}</p>
            <p class="text-mute">
              {s.bufferBefore || s.bufferAfter
                ? `${s.bufferBefore} min before, ${s.bufferAfter} min after`
                : 'no buffers'}
            </p>
          </div>
          <p
            class="text-sm"
            class:text-brick={s.staff.length === 0}
            class:font-semibold={s.staff.length === 0}
          >
            {s.staff.length === 0
              ? 'nobody performs it'
              : s.staff.length === 1
                ? '1 person'
                : `${s.staff.length} people`}
          </p>
          <a class="link-plain text-sm" href={s.page} target="_blank" rel="noopener">Open its page</a>
        </li>
      {/each}
    </ul>
    {#if more}<button class="btn justify-self-start" onclick={() => load(more)}>Show more</button>{/if}
  {/if}
</div>

<style>
  .service {
    display: grid;
    grid-template-columns: 22px minmax(0, 1.3fr) minmax(0, 1.3fr) minmax(0, 0.8fr) auto;
    align-items: center;
    gap: 18px;
    padding: 13px 18px;
  }
  .block {
    width: 16px;
    height: 20px;
    border-radius: 4px 4px 0 0;
  }
</style>
