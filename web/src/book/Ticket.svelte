<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** A booking as its client keeps it. */
  let { booked }: { booked: Shape<'Booked'> } = $props();

  const rows = $derived([
    ['When', booked.when],
    ['Shown for', booked.zone.replaceAll('_', ' ')],
    ['With', booked.with],
    ['Where', booked.link ? '' : booked.place],
    ['Places', booked.places > 1 ? String(booked.places) : ''],
    ['For', `${booked.name}, ${booked.email}`],
    ['Telephone', booked.phone.replaceAll(' ', '\u00a0')],
    ...booked.answers.map((a) => [a.label, (a.said ?? []).join(', ')] as const),
  ]);
</script>

<div class="ticket">
  <p class="text-sm opacity-80">{booked.business}</p>
  <p class="text-xl font-bold">{booked.service}</p>
  {#if booked.reference}
    <p class="mt-3 text-sm opacity-80">Reference</p>
    <p class="text-2xl font-bold tracking-wide">{booked.reference}</p>
  {/if}
</div>
<dl class="sheet grid grid-cols-[min(6rem,35%)_minmax(0,1fr)] gap-x-2 gap-y-2 rounded-t-none border-t-0 p-5">
  {#each rows.filter(([, value]) => value) as [label, value] (label)}
    <dt class="break-words text-mute">{label}</dt>
    <dd class="font-semibold break-words">{value}</dd>
  {/each}
  {#if booked.link}
    <dt class="text-mute">Where</dt>
    <dd class="font-semibold break-words"><a class="link-plain" href={booked.link}>{booked.link}</a></dd>
  {:else if booked.soon}
    <dt class="text-mute"></dt>
    <dd class="text-sm text-mute">The address of the meeting follows in a moment, here and by mail.</dd>
  {/if}
</dl>

<style>
  .ticket {
    padding: 30px 22px 18px;
    overflow-wrap: anywhere;
    border-radius: 28px 28px 0 0;
    background: var(--color-hue-0);
    color: #fff;
  }
</style>
