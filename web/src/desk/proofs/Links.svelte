<script lang="ts">
  import type { Shape } from '$lib/api/client';

  /** All links, the least sure first. */
  let {
    links,
    chosen,
    onchoose,
  }: { links: Shape<'ProvedLink'>[]; chosen: number; onchoose: (link: number) => void } = $props();

  const said: Record<Shape<'ProvedLink'>['state'], string> = {
    waiting: 'waits',
    running: 'runs',
    failed: 'failed',
    none: 'never proved',
    held: 'held',
  };
</script>

<ul aria-label="Links, the least sure first">
  {#each links as l (l.link)}
    <li>
      <button
        type="button"
        class="row"
        class:here={l.link === chosen}
        aria-current={l.link === chosen}
        onclick={() => onchoose(l.link)}
      >
        <svg viewBox="0 0 18 20" width="18" height="20" class={l.state} aria-hidden="true">
          {#if l.state === 'failed'}
            <path d="M2 19V9a7 7 0 0 1 5-6.7L6 9l2 4-2 6zM16 19V9a7 7 0 0 0-4-6.3L11 8l2 5-2 6z" />
          {:else}
            <path d="M2 19V9a7 7 0 0 1 14 0v10z" />
          {/if}
        </svg>
        <span class="grid min-w-0 gap-x-2">
          <b class="truncate">{l.staff.name}</b>
          <span class="text-right text-sm whitespace-nowrap text-mute"
            >{l.state === 'waiting' || l.state === 'running' ? said[l.state] : l.when}<span class="sr-only"
              >, {said[l.state]}</span
            ></span
          >
          <span class="truncate text-sm text-mute"
            >{l.calendars.join(', ')}{l.calendars.length ? ' at ' : ''}{l.host}</span
          >
          <span class="line-clamp-2 text-sm text-mute">{l.words}</span>
        </span>
      </button>
    </li>
  {/each}
</ul>

<style>
  .row {
    display: grid;
    grid-template-columns: 18px minmax(0, 1fr);
    gap: 10px;
    align-items: start;
    width: 100%;
    padding: 9px 14px;
    border-bottom: 1px solid var(--color-base-300);
    text-align: left;
  }
  .row > span {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .row > span > span:nth-of-type(n + 2) {
    grid-column: 1 / -1;
  }
  .row.here {
    background: var(--color-base-100);
    box-shadow: inset 4px 0 0 var(--color-primary);
  }
  svg {
    margin-top: 2px;
    fill: none;
    stroke: var(--color-mute);
    stroke-width: 2;
    stroke-linejoin: round;
  }
  .held {
    fill: var(--color-moss-fill);
    stroke: var(--color-moss-fill);
  }
  .failed {
    fill: var(--color-brick);
    stroke: none;
  }
  .running {
    stroke: var(--color-gold);
  }
  .none,
  .waiting {
    stroke-dasharray: 3 2.4;
  }
</style>
