<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { between } from '$lib/lane/geometry';
  import Hours from '$lib/lane/Hours.svelte';
  import type { Layers } from '$lib/lane/lane';
  import Lane from '$lib/lane/Lane.svelte';
  import { reasonWords } from '$lib/lane/reasons';
  import { took } from './words';

  /** One step of a proof with all its evidence. */
  let { step, at }: { step: Shape<'Step'>; /** Its place, from 1. */ at: number } = $props();

  const lane = $derived(step.lane);
  const axis = $derived(lane ? { from: Date.parse(lane.from), to: Date.parse(lane.to) } : { from: 0, to: 1 });
  const marks = $derived(
    (lane?.hours ?? []).map((label, i) => ({ at: axis.from + i * 3_600_000, label })).slice(1),
  );
  function layers(side: Shape<'Side'>): Layers {
    return {
      open: (lane?.open ?? []).map(between),
      bricks: side.busy.map((b) => ({ ...between(b), title: `Taken ${b.label}` })),
      sill: side.starts.map((s) => ({
        at: Date.parse(s.at),
        offered: s.offered,
        title: s.offered ? `${s.label} is offered` : `${s.label}: ${reasonWords([s.reason])}`,
      })),
    };
  }
</script>

<section class="sheet break-inside-avoid px-4 py-3" aria-label="Step {at}, {step.label}">
  <h2 class="text-base font-bold">{at} · {step.label.charAt(0).toUpperCase() + step.label.slice(1)}</h2>
  {#if lane}
    <p class="text-sm text-mute">{lane.day}, as clients see it</p>
    <div class="flex gap-3">
      <div class="min-w-0 grow"><Hours {axis} {marks} /></div>
      <span class="w-12 flex-none"></span>
    </div>
    <div class="grid gap-2">
      {#each [['before', lane.before], ['after', lane.after]] as const as [when, side] (when)}
        <div class="flex items-end gap-3">
          <div class="h-20 min-w-0 grow"><Lane {axis} layers={layers(side)} small /></div>
          <span class="w-12 flex-none text-sm text-mute">{when}</span>
        </div>
      {/each}
    </div>
  {/if}
  {#each step.copies ?? [] as copy (copy.calendar)}
    <table class="mt-2 w-full text-sm">
      <thead
        ><tr class="text-mute"
          ><th class="w-28"><span class="sr-only">what</span></th><th>the booking says</th><th
            >“{copy.calendar}” says</th
          ></tr
        ></thead
      >
      <tbody>
        {#each copy.fields ?? [] as f (f.name)}
          <tr>
            <th scope="row" class="text-mute">{f.name}</th>
            <td>{f.says}</td>
            <td class={f.same ? 'text-moss' : 'text-brick'}
              ><b>{f.copy}</b>{#if !f.same}<span class="sr-only">, which differs</span>{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {/each}
  <dl class="said mt-2 text-sm">
    <dt>expected</dt>
    <dd>{step.expected}</dd>
    {#if step.seen}
      <dt>seen</dt>
      <dd
        class={step.state === 'held'
          ? 'font-semibold text-moss'
          : step.state === 'failed'
            ? 'font-semibold text-brick'
            : ''}
      >
        {step.seen}
      </dd>
    {/if}
    {#if step.cause}
      <dt>likeliest cause</dt>
      <dd>{step.cause}</dd>
    {/if}
    {#if step.state === 'held' || step.state === 'failed'}
      <dt>took</dt>
      <dd>{took(step.millis)}</dd>
    {:else if step.state === 'not tried'}
      <dt>seen</dt>
      <dd>It was not tried.</dd>
    {/if}
  </dl>
  {#if step.mend}
    <a class="btn btn-primary btn-sm mt-3 h-auto min-h-8 py-1 print:hidden" href={step.mend.where}
      >{step.mend.words}</a
    >
  {/if}
</section>

<style>
  table :is(th, td) {
    padding: 5px 8px 5px 0;
    border-top: 1px solid var(--color-base-300);
    text-align: left;
    vertical-align: top;
    font-variant-numeric: tabular-nums;
  }
  thead th {
    border-top: 0;
    font-weight: 400;
  }
  tbody th {
    font-weight: 400;
  }
  .said {
    display: grid;
    grid-template-columns: 7rem minmax(0, 1fr);
  }
  .said > * {
    padding: 5px 0;
    border-top: 1px solid var(--color-base-300);
  }
  .said dt {
    color: var(--color-mute);
  }
</style>
