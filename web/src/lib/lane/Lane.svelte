<script lang="ts">
  import type { Snippet } from 'svelte';
  import { on } from 'svelte/events';
  import Card from './Card.svelte';
  import { courses, left, place, shared, visible, whole, type Axis } from './geometry';
  import { linesOf, type Layers, type Solid } from './lane';
  import Sill from './Sill.svelte';
  import SolidPart from './Solid.svelte';

  let {
    axis,
    layers,
    picked,
    asked,
    small = false,
    onpick,
    onask,
    children,
  }: {
    axis: Axis;
    layers: Layers;
    /** The key of the booking that is picked, if one is. */
    picked?: string;
    /** The moment that was asked about. */
    asked?: number;
    /** Whether the lane is too narrow for starts that are pointed at one by one: they are painted in one piece. */
    small?: boolean;
    onpick?: (solid: Solid) => void;
    /** Asks about a moment of the lane: where there is a start nearby, about that. */
    onask?: (at: number) => void;
    /** Drawn in the lane on top of its layers. */
    children?: Snippet;
  } = $props();

  let lane: HTMLElement;

  /** Busy spans and bookings that meet stand apart, one above the other. */
  const laid = $derived.by(() => {
    const bricks = layers.bricks ?? [];
    const all = courses(bricks, layers.solids);
    return { bricks: all.slice(0, bricks.length), solids: all.slice(bricks.length) };
  });

  /** What the pointer or the focus is on. */
  let card = $state<{ near: DOMRect; title: string; lines: string[] }>();
  function point(e: Event) {
    const on = (e.target as HTMLElement).closest<HTMLElement>('[data-layer]');
    if (!on || (e.type === 'focusin' && !on.matches(':focus-visible'))) return (card = undefined);
    const i = Number(on.dataset.index);
    const near = on.getBoundingClientRect();
    const [solid, bricks, tick] = [layers.solids?.[i], layers.bricks?.[i], layers.sill?.[i]];
    if (on.dataset.layer === 'solid' && solid) card = { near, title: solid.title, lines: linesOf(solid) };
    else if (on.dataset.layer === 'bricks' && bricks)
      card = { near, title: bricks.title, lines: bricks.lines ?? [] };
    else if (tick) card = { near, title: tick.title, lines: onask ? ['Open it to see every rule.'] : [] };
  }
  const hide = () => (card = undefined);

  /** Turns a click into a moment: a start within a few pixels, else five minutes sharp. */
  function ask(e: MouseEvent) {
    const on = (e.target as HTMLElement).closest('button');
    if (!onask || (on && (onpick || !on.matches('.solid')))) return;
    const box = lane.getBoundingClientRect();
    const pixel = (axis.to - axis.from) / box.width;
    const at = axis.from + (e.clientX - box.left) * pixel;
    const near = layers.sill?.reduce<number | undefined>(
      (best, t) => (best === undefined || Math.abs(t.at - at) < Math.abs(best - at) ? t.at : best),
      undefined,
    );
    onask(near !== undefined && Math.abs(near - at) < 9 * pixel ? near : Math.round(at / 300_000) * 300_000);
  }
  $effect(() => {
    const ends = [
      on(lane, 'click', ask),
      on(lane, 'pointerover', (e) => e.pointerType !== 'touch' && point(e)),
      on(lane, 'pointerleave', hide),
      on(lane, 'focusin', point),
      on(lane, 'focusout', hide),
    ];
    return () => ends.forEach((end) => end());
  });
</script>

<svelte:window onkeydown={(e) => e.key === 'Escape' && hide()} onscrollcapture={() => card && hide()} />

<div class="lane" class:silled={layers.sill} class:asking={onask} bind:this={lane}>
  <div class="room">
    {#each layers.open as part (part.start)}
      {#if visible(axis, part)}
        <div
          class="alcove"
          class:cut-left={part.start < axis.from}
          class:cut-right={part.end > axis.to}
          style={place(axis, part)}
        ></div>
      {/if}
    {/each}
    {#each layers.bricks ?? [] as b, i (i)}
      {#if visible(axis, b)}
        {@const course = laid.bricks[i] ?? whole}
        <div
          class="bricks"
          class:narrow={course.of > 3}
          class:unread={b.unread}
          class:foreign={b.foreign}
          style="{place(axis, b)}{shared(course)}"
          data-layer="bricks"
          data-index={i}
        >
          {#if b.label}<em
              >{#if b.named}<span>{b.named}</span>{:else}<span>{b.unread ? 'Not read' : 'Busy'}</span><span
                  class="where">&nbsp;· {b.label}</span
                >{/if}</em
            >{/if}
          <span class="sr-only">{[b.title, ...(b.lines ?? [])].join('. ')}</span>
        </div>
      {/if}
    {/each}
    {#if layers.veil && visible(axis, layers.veil)}
      <div class="veil" class:on={layers.veil.end > axis.to} style={place(axis, layers.veil)}></div>
    {/if}
    {#each layers.solids ?? [] as s, i (s.key)}
      {#if visible(axis, s.occupied)}
        <SolidPart
          {axis}
          solid={s}
          index={i}
          course={laid.solids[i]}
          picked={picked === s.key}
          onpick={onpick && (() => onpick(s))}
        />
      {/if}
    {/each}
    {@render children?.()}
  </div>
  {#if layers.sill}<Sill {axis} starts={layers.sill} {asked} {small} {onask} />{/if}
  {#if layers.end !== undefined && layers.end < axis.to}
    <div class="wall-end" style={place(axis, { start: layers.end, end: axis.to })}></div>
  {/if}
  {#if layers.now !== undefined && layers.now > axis.from && layers.now < axis.to}
    <div class="now" style="left:{left(axis, layers.now)}%"></div>
  {/if}
  {#if card}<Card {...card} />{/if}
</div>

<style>
  .lane {
    position: relative;
    height: 100%;
    background: var(--color-wall);
    border-top: 1px solid var(--color-wall-line);
    --sill: 0px;
    overflow: hidden;
  }
  .lane.asking {
    cursor: help;
  }
  .lane.silled {
    --sill: 16px;
  }
  .room {
    position: absolute;
    inset: 7px 0 var(--sill) 0;
  }
  .alcove,
  .bricks,
  .veil {
    position: absolute;
    top: 0;
    bottom: 0;
  }
  .alcove {
    background: var(--color-alcove);
    border-radius: 10px 10px 0 0;
    box-shadow:
      inset 0 3px 5px -1px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
  }
  .alcove.cut-left {
    border-top-left-radius: 0;
  }
  .alcove.cut-right {
    border-top-right-radius: 0;
  }
  .bricks {
    background-color: var(--color-joint);
    overflow: hidden;
    isolation: isolate;
    container-type: inline-size;
  }
  /* The bricks of a running bond, cut out of one colour so that the joints show through. */
  .bricks::before {
    content: '';
    position: absolute;
    inset: 0;
    background: var(--color-brickwork);
    mask: url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' width='24' height='20'%3E%3Cpath d='M1 1.5h22v8.5H1zM0 11.5h11v8.5H0zM13 11.5h11v8.5H13z'/%3E%3C/svg%3E");
  }
  /* Where nobody knows: the bond is there, but no bricks in it. */
  .bricks.unread {
    background-color: var(--color-wall);
  }
  .bricks.unread::before {
    background: repeating-linear-gradient(45deg, var(--color-joint) 0 2px, transparent 2px 9px);
    mask: none;
  }
  /* A visit of another desk stands like a visit, hollow, on one course of bricks. */
  .bricks.foreign {
    background-color: var(--color-alcove);
    border: 2px solid var(--color-mute);
    border-bottom: 0;
    border-radius: 6px 6px 0 0;
  }
  .bricks.foreign::before {
    inset: auto 0 0 0;
    height: 20px;
  }
  .bricks.foreign em {
    top: 3px;
    bottom: auto;
    background: none;
    color: var(--color-ink);
  }
  .bricks em {
    position: absolute;
    left: 4px;
    bottom: 4px;
    z-index: 1;
    max-width: calc(100% - 8px);
    padding: 0 4px;
    border-radius: 3px;
    background: var(--color-sill);
    color: var(--color-mute);
    font-size: 0.6875rem;
    font-weight: 600;
    font-style: normal;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .veil {
    background: linear-gradient(90deg, rgb(217 154 18 / 0.17), rgb(217 154 18 / 0.08));
    border-right: 1.5px dashed var(--color-gold);
    pointer-events: none;
  }
  .veil.on {
    border-right: 0;
  }
  .bricks.narrow em {
    display: none;
  }
  @container (max-width: 104px) {
    .bricks .where {
      display: none;
    }
  }
  @container (max-width: 40px) {
    .bricks em {
      display: none;
    }
  }
  /* On paper everybody has to find room. */
  @media print {
    .lane.silled {
      --sill: 0px;
    }
    .room {
      top: min(7px, 10%);
    }
    .alcove {
      border-radius: 5px 5px 0 0;
    }
    .bricks em {
      bottom: 1px;
    }
  }
  .now {
    position: absolute;
    top: -1px;
    bottom: 0;
    width: 2px;
    margin-left: -1px;
    background: var(--color-gold);
    pointer-events: none;
  }
  /* Beyond the end of the booking window the wall fades; what stands there can still be seen. */
  .wall-end {
    position: absolute;
    top: 0;
    bottom: 0;
    background: repeating-linear-gradient(90deg, var(--color-page) 0 9px, transparent 9px 14px);
    opacity: 0.75;
    pointer-events: none;
  }
</style>
