<script lang="ts">
  import { dayKeys, dayNames, type DayKey } from './week';

  /** Copies a day's hours to others. It can be undone, so it does not ask. */
  let { from, oncopy }: { from: DayKey; oncopy: (to: DayKey[]) => void } = $props();

  const id = $props.id();
  let list: HTMLElement;
  const others = $derived(dayKeys.filter((k) => k !== from));
  const workdays = $derived(dayKeys.slice(0, 5).filter((k) => k !== from));

  function copy(to: DayKey[]) {
    oncopy(to);
    list.hidePopover();
  }
</script>

<button
  type="button"
  class="link-plain text-sm font-normal"
  popovertarget={id}
  style="anchor-name:--copy-{from}"
  aria-label="Copy {dayNames[from]} to other days">copy to…</button
>
<div
  {id}
  popover
  bind:this={list}
  class="copies"
  style="position-anchor:--copy-{from}"
  aria-label="Copy {dayNames[from]} to"
>
  <button type="button" class="btn btn-sm" onclick={() => copy(workdays)}>All workdays</button>
  {#each others as key (key)}
    <button type="button" class="btn btn-ghost btn-sm" onclick={() => copy([key])}>{dayNames[key]}</button>
  {/each}
</div>

<style>
  .copies {
    position: absolute;
    inset: auto;
    top: anchor(bottom);
    left: anchor(left);
    width: 140px;
    padding: 6px;
    border: 1px solid var(--color-edge);
    border-radius: 8px;
    background: var(--color-base-100);
    color: var(--color-ink);
    box-shadow: 0 6px 20px var(--color-shade);
  }
  .copies:popover-open {
    display: grid;
    gap: 2px;
  }
</style>
