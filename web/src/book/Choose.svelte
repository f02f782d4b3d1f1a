<script lang="ts">
  import { api, data, type Shape } from '$lib/api/client';
  import { Query } from '$lib/api/query.svelte';
  import Notice from '$lib/ui/Notice.svelte';
  import { untrack } from 'svelte';
  import { firstCollection } from './first';
  import { onward, presentClock } from './settings';
  import { growInSite, tellSite } from './site';
  import { reached } from './steps';

  /** A page of several services: one is chosen, or a start of it at once. */
  let { slug }: { slug: string } = $props();

  const answer = new Query<Shape<'Collected'>>();
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const load = () =>
    answer.ask(() =>
      data(
        api.GET('/api/collections/{slug}', {
          params: { path: { slug }, query: { zone, clock: presentClock() } },
        }),
      ),
    );
  answer.value = untrack(() => firstCollection(slug, zone, presentClock()));
  $effect(() => {
    if (!untrack(() => answer.value)) void load();
  });
  growInSite();
  const here = $derived(answer.value?.title);
  $effect(() => {
    if (!here) return;
    tellSite('opened', { page: slug });
    reached(slug, 'opened');
  });
  const on = (page: string, start = '') => onward(page, slug, start);
</script>

<svelte:head
  ><title>{answer.value ? `${answer.value.title} · ${answer.value.business}` : 'Book a visit'}</title
  ></svelte:head
>

{#if answer.problem && !answer.value}
  <main class="mx-auto grid max-w-lg gap-3 px-4 py-20">
    <h1 class="text-2xl">This page cannot be shown</h1>
    <Notice tone="wrong">{answer.problem.message}</Notice>
  </main>
{:else if answer.value}
  <main aria-label={answer.value.title} class="mx-auto grid w-full max-w-3xl content-start gap-6 px-4 py-8">
    <div>
      <h1 class="text-3xl">{answer.value.title}</h1>
      <p class="text-mute">
        {answer.value.business}{answer.value.with ? ` · with ${answer.value.with}` : ''}
      </p>
      {#if answer.value.intro}<p class="mt-3 whitespace-pre-line">{answer.value.intro}</p>{/if}
    </div>
    {#each answer.value.parts as part, i (i)}
      <section class="grid gap-2" aria-labelledby={part.heading ? `part-${i}` : undefined}>
        {#if part.heading}<h2 class="text-lg" id="part-{i}">{part.heading}</h2>{/if}
        <ul class="grid gap-3">
          {#each part.services as s (s.page)}
            <li class="niche">
              <a class="title" href={on(s.page)}>{s.name}</a>
              <p class="text-mute">{[s.length, s.place, s.price].filter(Boolean).join(' · ')}</p>
              <p class="starts">
                {#each s.soonest as start (start.at)}
                  <a class="start" href={on(s.page, start.at)} aria-label="{s.name}, {start.full}"
                    >{start.label}</a
                  >
                {:else}<span class="text-mute">{s.note}</span>{/each}
              </p>
            </li>
          {/each}
        </ul>
      </section>
    {/each}
  </main>
{/if}

<style>
  .niche {
    display: grid;
    gap: 2px;
    padding: 16px 20px 14px;
    background: var(--color-alcove);
    border-radius: 20px 20px 0 0;
    box-shadow:
      inset 0 3px 5px -1px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
    border-bottom: 8px solid var(--color-wall);
  }
  .title {
    justify-self: start;
    font-size: 1.125rem;
    font-weight: 700;
    text-decoration: underline;
    text-decoration-thickness: 1px;
    text-underline-offset: 3px;
  }
  .starts {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 8px;
    font-size: 0.9375rem;
  }
  .start {
    padding: 6px 12px;
    border-radius: 8px 8px 2px 2px;
    background: var(--color-hue-0);
    color: #fff;
    font-weight: 650;
  }
  .start:hover {
    background: color-mix(in srgb, var(--color-hue-0), #000 22%);
  }
</style>
