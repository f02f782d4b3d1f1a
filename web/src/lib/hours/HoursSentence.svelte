<script lang="ts">
  import { writeWork } from '$lib/ui/typed';
  import { cityOf } from './dates';
  import { soonOf, type Days } from './days';
  import type { HoursEditor } from './editor.svelte';
  import { spanWords } from './patterns';

  /** What somebody's hours come to, in a sentence. */
  let {
    editor,
    days,
    today,
    zone,
    whose,
  }: { editor: HoursEditor; days: Days; today: string; zone: string; whose: string } = $props();

  const { draft, average, at, present } = $derived(editor);
  const soon = $derived(today ? soonOf(days, today) : { away: '', other: '' });
</script>

{#if average === 0}
  No hours{draft?.from ? ` ${spanWords(draft)}` : ' yet'}: nothing of {whose} time is offered.
{:else if draft}
  Open <b>{writeWork(average)}</b> a week{draft.weeks.length > 1 ? ' on average' : ''},
  <b>{spanWords(draft)}</b>{at === present ? ', in force now' : ''}, by the clock in {cityOf(zone)}.
{/if}
{#if soon.away}Away <b>{soon.away}</b>.{/if}
{#if soon.other}Other hours on <b>{soon.other}</b>.{/if}
