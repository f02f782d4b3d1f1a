<script lang="ts">
  import type { Snippet } from 'svelte';
  import { on } from 'svelte/events';
  import Arch from './Arch.svelte';
  import Card from './Card.svelte';
  import { courses, left, place, shared, visible, type Axis } from './geometry';
  import { linesOf, type Layers, type Solid } from './lane';

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

  /** One start of a lane can be reached by Tab: the one asked about, or the first that is offered. The arrows go on. */
  const focusable = $derived(
    layers.sill?.find((t) => t.at === asked)?.at ??
      layers.sill?.find((t) => t.offered)?.at ??
      layers.sill?.[0]?.at,
  );
  function along(e: KeyboardEvent) {
    const here = e.currentTarget as HTMLElement;
    const to =
      e.key === 'ArrowLeft'
        ? here.previousElementSibling
        : e.key === 'ArrowRight'
          ? here.nextElementSibling
          : e.key === 'ArrowUp'
            ? across(here, -1)
            : e.key === 'ArrowDown'
              ? across(here, 1)
              : undefined;
    if (to instanceof HTMLElement) {
      e.preventDefault();
      to.focus();
    }
  }
  /** The start that stands nearest in the next lane, up or down, that has any. */
  function across(from: HTMLElement, by: -1 | 1) {
    const sills = [...document.querySelectorAll<HTMLElement>('.sill:has(> button)')];
    const next = sills[sills.findIndex((s) => s.contains(from)) + by];
    const x = from.getBoundingClientRect().left;
    const apart = (t: Element) => Math.abs(t.getBoundingClientRect().left - x);
    return [...(next?.children ?? [])].toSorted((a, b) => apart(a) - apart(b))[0];
  }

  /** Busy spans and bookings that meet stand apart, one above the other. */
  const laid = $derived.by(() => {
    const bricks = layers.bricks ?? [];
    const all = courses(bricks, layers.solids);
    return { bricks: all.slice(0, bricks.length), solids: all.slice(bricks.length) };
  });
  const whole = { at: 0, of: 1 };
  /** The starts of a small lane as one background: strokes, and rings. */
  const painted = $derived(
    (layers.sill ?? [])
      .map((t) =>
        t.offered
          ? `linear-gradient(var(--color-tick) 0 0) ${left(axis, t.at)}% 60%/2.5px 9px no-repeat`
          : `radial-gradient(circle, transparent 1px, var(--color-tick-none) 1.3px 1.9px, transparent 2.3px) ${left(axis, t.at)}% 60%/5px 5px no-repeat`,
      )
      .join(','),
  );
  const offered = $derived((layers.sill ?? []).filter((t) => t.offered).length);

  /** What the pointer or the focus is on. */
  let card = $state<{ near: DOMRect; title: string; lines: string[] }>();
  function point(e: Event) {
    const on = (e.target as HTMLElement).closest<HTMLElement>('[data-layer]');
    if (!on || (e.type === 'focusin' && !on.matches(':focus-visible'))) return (card = undefined);
    const i = Number(on.dataset.index);
    const near = on.getBoundingClientRect();
    const [solid, bricks, tick] = [layers.solids?.[i], layers.bricks?.[i], layers.sill?.[i]];
    if (on.dataset.layer === 'solid' && solid) card = { near, title: solid.title, lines: linesOf(solid) };
    else if (on.dataset.layer === 'bricks' && bricks) card = { near, title: bricks.title, lines: [] };
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
          style="{place(axis, b)}{shared(course)}"
          data-layer="bricks"
          data-index={i}
        >
          {#if b.label}<em><span>Busy</span><span class="where">&nbsp;· {b.label}</span></em>{/if}
          <span class="sr-only">{b.title}</span>
        </div>
      {/if}
    {/each}
    {#if layers.veil && visible(axis, layers.veil)}
      <div class="veil" class:on={layers.veil.end > axis.to} style={place(axis, layers.veil)}></div>
    {/if}
    {#each layers.solids ?? [] as s, i (s.key)}
      {#if visible(axis, s.occupied)}
        {@const course = laid.solids[i] ?? whole}
        {@const hue = `;background:var(--color-hue-${s.hue})${shared(course)}`}
        <div class="ramp up" style="{place(axis, { start: s.occupied.start, end: s.start })}{hue}"></div>
        <div class="ramp down" style="{place(axis, { start: s.end, end: s.occupied.end })}{hue}"></div>
        <button
          class="solid"
          class:pending={s.pending}
          class:picked={picked === s.key}
          class:clash={s.clash}
          class:low={course.of > 1}
          style="{place(axis, s)};--hue:var(--color-hue-{s.hue}){shared(course)}"
          aria-label="{s.title}, {linesOf(s).join('; ')}"
          data-layer="solid"
          data-index={i}
          onclick={() => onpick?.(s)}
        >
          <b><span class="long">{s.title}</span><span class="short">{s.short}</span></b>
          <span class="sub">{s.sub}</span>
          <span class="seal"><Arch state={s.copy} /></span>
        </button>
      {/if}
    {/each}
    {@render children?.()}
  </div>
  {#if layers.sill}
    {#if small}
      <div class="sill">
        <i class="strokes" style="background:{painted || 'none'}"></i>
        <span class="sr-only">{offered} of {layers.sill.length} starts offered</span>
        {#if asked !== undefined && asked >= axis.from && asked < axis.to}
          <i class="tick asked" style="left:{left(axis, asked)}%"></i>
        {/if}
      </div>
    {:else}
      <div class="sill">
        {#each layers.sill as t, i (t.at)}
          {#if onask}
            <button
              class="tick"
              class:none={!t.offered}
              class:asked={asked === t.at}
              style="left:{left(axis, t.at)}%"
              data-layer="tick"
              data-index={i}
              aria-label={t.title}
              tabindex={t.at === focusable ? 0 : -1}
              onclick={() => onask(t.at)}
              onkeydown={along}
            ></button>
          {:else}
            <i
              class="tick"
              class:none={!t.offered}
              style="left:{left(axis, t.at)}%"
              data-layer="tick"
              data-index={i}><span class="sr-only">{t.title}</span></i
            >
          {/if}
        {/each}
      </div>
    {/if}
  {/if}
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
  .ramp {
    position: absolute;
    top: 7px;
    bottom: 0;
    opacity: 0.3;
  }
  .ramp.up {
    clip-path: polygon(0 100%, 100% 30%, 100% 100%);
  }
  .ramp.down {
    clip-path: polygon(0 30%, 100% 100%, 0 100%);
  }
  .solid {
    position: absolute;
    top: 7px;
    bottom: 0;
    display: flex;
    flex-direction: column;
    align-items: flex-start;
    padding: 4px 7px;
    border-radius: 6px 6px 0 0;
    background: var(--hue);
    color: #fff;
    font-size: 0.75rem;
    line-height: 1.25;
    text-align: left;
    cursor: pointer;
    overflow: hidden;
    container-type: inline-size;
  }
  .solid.pending {
    background: repeating-linear-gradient(
      135deg,
      var(--hue) 0 7px,
      color-mix(in srgb, var(--hue), #fff 14%) 7px 14px
    );
  }
  .solid.picked {
    outline: 2px solid var(--color-ink);
    outline-offset: 1px;
  }
  /* A clash: a course of bricks is laid across the booking. */
  .solid.clash {
    box-shadow: inset 0 0 0 2px var(--color-clash);
    padding-bottom: 15px;
  }
  .solid.clash::after {
    content: '';
    position: absolute;
    inset: auto 0 0 0;
    height: 11px;
    background: var(--color-clash);
    mask: url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' width='16' height='11'%3E%3Cpath d='M0 0h16v1.5H0zM1 2.5h14v3.5H1zM0 7h7v4H0zM9 7h7v4H9z'/%3E%3C/svg%3E");
  }
  .solid.clash .seal {
    bottom: 14px;
  }
  .solid b,
  .solid .sub {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .solid b {
    flex: none;
    font-weight: 700;
  }
  .solid .sub {
    padding-right: 14px;
  }
  /* With busy time above it there is one line. */
  .solid.low {
    padding-block: 1px;
    border-radius: 0;
  }
  .solid.low .sub,
  .solid.low.clash::after {
    display: none;
  }
  .solid.low .seal {
    top: 2px;
    bottom: auto;
  }
  .solid.low b {
    padding-right: 16px;
  }
  .bricks.narrow em {
    display: none;
  }
  .solid .short {
    display: none;
  }
  .seal {
    position: absolute;
    right: 5px;
    bottom: 4px;
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
  @container (max-width: 58px) {
    .solid .long,
    .solid .sub {
      display: none;
    }
    .solid .short {
      display: inline;
    }
    /* Two letters have to fit where the padding leaves little. */
    .solid b {
      max-width: none;
      margin-inline: -4px;
      text-overflow: clip;
    }
  }
  /* Where not even the initials fit, the form alone stands; its words come on hover and focus. */
  @container (max-width: 12px) {
    .seal {
      display: none;
    }
    .solid b {
      margin-inline: -6px;
      font-size: 0.6875rem;
      letter-spacing: -0.03em;
    }
  }
  @container (max-width: 2px) {
    .solid b {
      visibility: hidden;
    }
  }
  .sill {
    position: absolute;
    inset: auto 0 0 0;
    height: var(--sill);
    background: var(--color-sill);
    border-top: 1.5px solid var(--color-sill-line);
  }
  .strokes {
    position: absolute;
    inset: 0;
  }
  .tick {
    position: absolute;
    bottom: 2.5px;
    width: 4px;
    height: 9px;
    margin-left: -2px;
    border-radius: 2px;
    background: var(--color-tick);
  }
  .tick.none {
    bottom: 4.5px;
    width: 5px;
    height: 5px;
    border-radius: 50%;
    background: none;
    border: 1.3px solid var(--color-tick-none);
  }
  button.tick {
    cursor: help;
  }
  button.tick::before {
    content: '';
    position: absolute;
    inset: -5px -4px;
  }
  .tick.asked {
    outline: 2px solid var(--color-gold);
    outline-offset: 2px;
  }
  /* On paper everybody has to find room, and nobody asks about starts. */
  @media print {
    .lane.silled {
      --sill: 0px;
    }
    .sill {
      display: none;
    }
    .room {
      top: min(7px, 10%);
    }
    .solid,
    .ramp {
      top: min(7px, 5%);
    }
    .solid {
      padding-block: 0;
      border-radius: 3px 3px 0 0;
      font-size: 0.6875rem;
      line-height: 1.2;
    }
    .alcove {
      border-radius: 5px 5px 0 0;
    }
    .seal,
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
