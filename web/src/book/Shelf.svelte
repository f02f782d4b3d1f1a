<script lang="ts">
  import type { Shape } from '$lib/api/client';
  import { left } from '$lib/lane/geometry';
  import Lane from '$lib/lane/Lane.svelte';

  /** One day: its open time as alcoves, and the offered starts standing in it. */
  let {
    day,
    axis,
    starts,
    upright,
    picked,
    shared,
    clashes,
    onpick,
  }: {
    day: Shape<'PageDay'>;
    axis: { from: number; to: number };
    /** The starts to be shown, perhaps fewer than the day has. */
    starts: Shape<'PageStart'>[];
    /** Whether there is room to put each start at its time; else they stand in rows. */
    upright: boolean;
    picked: string;
    /** Whether several clients share a visit, so that places left are worth saying. */
    shared: boolean;
    /** Whether the client is busy then, by a calendar of their own. */
    clashes: (at: string) => boolean;

    onpick: (start: Shape<'PageStart'>) => void;
  } = $props();

  const open = $derived(day.open.map((p) => ({ start: p.from, end: p.to })));
  const noteAt = $derived(left(axis, day.open[0]?.from ?? axis.from));
</script>

{#snippet token(s: Shape<'PageStart'>)}
  <button
    type="button"
    class="token"
    class:picked={picked === s.at}
    class:clash={clashes(s.at)}
    aria-pressed={picked === s.at}
    aria-label={[s.full, shared ? `${s.left} places left` : '', clashes(s.at) ? 'you are busy then' : '']
      .filter(Boolean)
      .join(', ')}
    style:left={upright ? `${left(axis, s.minute)}%` : undefined}
    title={clashes(s.at) ? 'You are busy then' : shared ? `${s.left} left` : undefined}
    onclick={() => onpick(s)}>{s.label}</button
  >
{/snippet}

<section class="shelf" class:upright aria-labelledby="day-{day.date}">
  <h2 id="day-{day.date}">
    {day.title}
    <span>{day.sub}</span>
  </h2>
  {#if upright}
    <div class="stand">
      <Lane {axis} layers={{ open }}>
        {#each starts as s (s.at)}{@render token(s)}{/each}
        {#if starts.length === 0}
          <p class="note" style="left:calc({noteAt}% + 14px)">{day.note || 'Nothing at this time of day'}</p>
        {/if}
      </Lane>
    </div>
  {:else}
    <div
      class="recess"
      class:closed={open.length === 0}
      class:bare={starts.length === 0}
      style:--cell={starts.some((s) => s.label.length > 5) ? '5.5rem' : '4.2rem'}
    >
      {#each starts as s (s.at)}{@render token(s)}{:else}<p>
          {day.note || 'Nothing at this time of day'}
        </p>{/each}
    </div>
  {/if}
</section>

<style>
  .shelf {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 4px 12px;
  }
  .upright {
    grid-template-columns: 118px minmax(0, 1fr);
  }
  h2 {
    font-size: 1rem;
    line-height: 1.3;
  }
  .upright h2 {
    padding-top: 11px;
  }
  h2 span {
    display: block;
    font-size: 0.8125rem;
    font-weight: 450;
    letter-spacing: 0;
    color: var(--color-mute);
  }
  .shelf:not(.upright) h2 span {
    display: inline;
    margin-left: 6px;
  }
  .token {
    background: var(--color-hue-0);
    color: #fff;
    font-weight: 650;
    white-space: nowrap;
    cursor: pointer;
  }
  .upright .token {
    position: absolute;
    bottom: 0;
    height: 36px;
    width: var(--token, 50px);
    border-radius: 7px 7px 0 0;
    font-size: 0.8125rem;
  }
  .token:hover {
    background: color-mix(in srgb, var(--color-hue-0), #000 22%);
  }
  /* Busy by the client's own calendar: hollow, and crossed out by a joint. */
  .token.clash:not(.picked) {
    background: var(--color-alcove);
    color: var(--color-mute);
    box-shadow: inset 0 0 0 1.5px var(--color-edge);
    text-decoration: line-through;
  }
  .token.picked {
    background: var(--color-gold);
    color: var(--color-accent-content);
    box-shadow: 0 0 0 2px var(--color-ink);
    z-index: 1;
  }
  .upright .token.picked {
    height: 44px;
  }
  .note {
    position: absolute;
    top: 16px;
    color: var(--color-mute);
    font-size: 0.875rem;
    white-space: nowrap;
  }
  .stand {
    height: 64px;
    border-bottom: 2px solid var(--color-sill-line);
  }
  .recess {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(var(--cell), 100%), 1fr));
    gap: 8px;
    min-height: 58px;
    padding: 14px 12px 12px;
    align-items: center;
    background: var(--color-alcove);
    border-radius: 14px 14px 0 0;
    box-shadow:
      inset 0 3px 5px -1px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
    border-bottom: 8px solid var(--color-wall);
  }
  .recess.closed {
    background: var(--color-wall);
    box-shadow: none;
    border-radius: 0;
  }
  .recess.bare {
    grid-template-columns: minmax(0, 1fr);
  }
  .recess p {
    color: var(--color-mute);
  }
  .recess .token {
    height: 44px;
    padding: 0 4px;
    border-radius: 8px 8px 2px 2px;
  }
</style>
