<script lang="ts">
  import Plus from '@lucide/svelte/icons/plus';
  import X from '@lucide/svelte/icons/x';
  import { readTime } from './wallclock';
  import type { Draft } from './week';

  /** The spans, or the breaks, of one day as text fields. */
  let {
    spans = $bindable(),
    what,
    faults,
    next,
    none,
  }: {
    spans: Draft[];
    /** What they are, for labels: "Monday hours". */
    what: string;
    /** What is wrong with which of them. */
    faults: Record<number, string>;
    /** What a new one begins as. */
    next: Draft;
    /** What it says when there are none. */
    none: string;
  } = $props();

  function tidy(i: number, end: 0 | 1) {
    const span = spans[i];
    const read = span && readTime(span[end]);
    if (span && read) span[end] = read;
  }
</script>

{#snippet add()}
  <button
    type="button"
    class="btn btn-ghost btn-xs btn-square"
    aria-label="Add {what}"
    title="Add {what}"
    onclick={() => (spans = [...spans, [...next]])}><Plus size={15} /></button
  >
{/snippet}

<div class="grid gap-1">
  {#each spans as span, i (i)}
    <div class="flex items-center gap-1">
      {#each [0, 1] as const as end (end)}
        {#if end === 1}<span class="text-mute" aria-hidden="true">–</span>{/if}
        <input
          class="input input-sm w-16 px-1 text-center font-semibold"
          aria-label="{what} {i + 1}, {end === 0 ? 'from' : 'to'}"
          aria-invalid={faults[i] ? 'true' : undefined}
          class:input-error={faults[i]}
          bind:value={span[end]}
          onblur={() => tidy(i, end)}
        />
      {/each}
      <button
        type="button"
        class="btn btn-ghost btn-xs btn-square"
        aria-label="Remove {what} {i + 1}"
        onclick={() => (spans = spans.filter((_, k) => k !== i))}><X size={14} /></button
      >
      {#if i === spans.length - 1}{@render add()}{/if}
    </div>
    {#if faults[i]}<p class="text-xs font-medium text-brick" role="alert">{faults[i]}</p>{/if}
  {:else}
    <div class="flex h-8 items-center gap-1 text-mute">{none} {@render add()}</div>
  {/each}
</div>
