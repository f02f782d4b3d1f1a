<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { age } from '$lib/links/words';

  /** The freshness of every calendar in use, at the foot of the screen: one small arch a calendar. */
  let { pulse }: { pulse: Shape<'Pulse'>[] } = $props();

  const troubled = $derived(pulse.filter((c) => c.state !== 'fresh' && c.state !== 'waiting'));
  const slowest = $derived(pulse.reduce((s, c) => (c.ago > s ? c.ago : s), -1));
  /** What troubles stands first, then what was read longest ago. */
  const order = ['gone', 'refused', 'unreachable', 'late', 'waiting', 'fresh'];
  const worst = $derived(
    pulse.toSorted((a, b) => order.indexOf(a.state) - order.indexOf(b.state) || b.ago - a.ago),
  );
  const words = (c: Shape<'Pulse'>) =>
    `${c.staff.name}, ${c.calendar}: ${c.error || (c.ago < 0 ? 'not read yet' : `read ${age(c.ago)} ago`)}`;
</script>

<footer
  class="sticky bottom-0 z-4 flex min-h-9 items-center gap-3 border-t border-edge bg-base-100 px-4 text-sm"
>
  <ul class="flex gap-0.5" aria-label="Calendars">
    {#each worst as c, i (i)}
      <li>
        <a class="arch {c.state}" href="/team/{c.staff.id}/calendars" title={words(c)}
          ><span class="sr-only">{words(c)}</span></a
        >
      </li>
    {/each}
  </ul>
  {#if pulse.length === 0}
    <span class="text-mute">No calendar is in use yet. Link one on a person’s page.</span>
  {:else if troubled.length === 0}
    <b>{pulse.length} calendars, all read</b>
    {#if slowest >= 0}<span class="text-mute">the oldest {age(slowest)} ago</span>{/if}
  {:else}
    <b>{pulse.length - troubled.length} of {pulse.length} calendars read</b>
    {#each troubled.slice(0, 1) as c (c.calendar)}
      <a class="ml-auto truncate font-semibold text-brick" href="/team/{c.staff.id}/calendars">{words(c)}</a>
    {/each}
  {/if}
  {#if pulse.length}<a class="link-plain {troubled.length ? '' : 'ml-auto'}" href="/health">health</a>{/if}
</footer>

<style>
  .arch {
    display: block;
    width: 10px;
    height: 17px;
    border-radius: 5px 5px 1px 1px;
    background: var(--color-moss-fill);
  }
  .arch.waiting {
    background: none;
    border: 1.5px dashed var(--color-tick-none);
  }
  .arch.late,
  .arch.unreachable {
    background: none;
    border: 2.5px solid var(--color-gold);
  }
  .arch.refused,
  .arch.gone {
    background: none;
    border: 2.5px solid var(--color-brick);
    border-bottom-style: none;
  }
  @media print {
    footer {
      display: none;
    }
  }
</style>
