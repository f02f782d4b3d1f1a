<script lang="ts">
  import Scissors from '@lucide/svelte/icons/scissors';
  import X from '@lucide/svelte/icons/x';
  import { place, visible, type Axis, type Part } from '$lib/lane/geometry';
  import {
    after,
    drawnFrom,
    fineStep,
    limitsOf,
    partAt,
    snap,
    step,
    timeText,
    withBreak,
    without,
    type Grip,
    type Held,
  } from './edit';
  import type { DraftDay } from './week';

  /** One day's hours as alcoves that are drawn, dragged, resized, split and removed, by pointer or by keys. */
  let {
    axis,
    day,
    name,
    onchange,
    onhold,
  }: {
    axis: Axis;
    day: DraftDay;
    /** Of the day, for labels. */
    name: string;
    onchange: (day: DraftDay) => void;
    /** Called when a drag begins and ends; in between the axis has to stay. */
    onhold: (holding: boolean) => void;
  } = $props();

  let lane: HTMLElement;
  /** The drag that goes on: what is held, where it began, and the day as it was. */
  let drag = $state<{ held?: Held; from: number; before: DraftDay; moved: boolean }>();

  const parts = $derived(
    (['spans', 'breaks'] as const).flatMap((kind) =>
      day[kind].flatMap((s, index) => {
        const part = partAt([s], 0);
        return part && visible(axis, part) ? [{ kind, index, part }] : [];
      }),
    ),
  );

  function minuteAt(e: PointerEvent | MouseEvent): number {
    const box = lane.getBoundingClientRect();
    return axis.from + ((e.clientX - box.left) / box.width) * (axis.to - axis.from);
  }

  function begin(e: PointerEvent, held?: Held) {
    if (e.button !== 0) return;
    e.stopPropagation();
    lane.setPointerCapture(e.pointerId);
    drag = { held, from: minuteAt(e), before: $state.snapshot(day), moved: false };
    onhold(true);
  }

  function move(e: PointerEvent) {
    if (!drag) return;
    const to = minuteAt(e);
    drag.moved ||= Math.abs(to - drag.from) > 4;
    if (!drag.moved) return;
    if (!drag.held) {
      onchange(drawnFrom(drag.before, snap(drag.from, e.altKey), snap(to, e.altKey)));
      return;
    }
    const part = partAt(drag.before[drag.held.kind], drag.held.index);
    if (!part) return;
    const edge = drag.held.grip === 'end' ? part.end : part.start;
    onchange(after(drag.before, drag.held, snap(edge + to - drag.from, e.altKey) - edge));
  }

  function end() {
    if (!drag) return;
    drag = undefined;
    onhold(false);
  }

  function cancel() {
    if (drag) onchange(drag.before);
    end();
  }

  const keySteps: Record<string, number> = {
    ArrowLeft: -1,
    ArrowDown: -1,
    ArrowRight: 1,
    ArrowUp: 1,
    PageDown: -4,
    PageUp: 4,
  };

  function press(e: KeyboardEvent, held: Held) {
    const steps = keySteps[e.key];
    if (steps !== undefined) {
      e.preventDefault();
      const by = (e.altKey ? fineStep : step) * steps;
      onchange(after($state.snapshot(day), held, by));
    } else if (e.key === 'Delete' || e.key === 'Backspace') {
      e.preventDefault();
      onchange(without($state.snapshot(day), held));
    } else if (e.key.toLowerCase() === 's' && held.kind === 'spans' && !e.ctrlKey && !e.metaKey) {
      onchange(withBreak($state.snapshot(day), held.index));
    } else if (e.key === 'Escape') {
      cancel();
    }
  }

  /** What breaks leave of a stretch of hours, each with a label of its own. */
  function pieces(whole: Part): Part[] {
    const out: Part[] = [];
    let from = whole.start;
    const breaks = parts
      .filter((p) => p.kind === 'breaks' && p.part.end > whole.start && p.part.start < whole.end)
      .map((p) => p.part)
      .toSorted((a, b) => a.start - b.start);
    for (const b of breaks) {
      if (b.start > from) out.push({ start: from, end: b.start });
      from = Math.max(from, b.end);
    }
    if (from < whole.end) out.push({ start: from, end: whole.end });
    return out;
  }

  const words = (kind: Held['kind'], part: Part) =>
    `${name} ${kind === 'spans' ? 'hours' : 'break'} ${timeText(part.start)}–${timeText(part.end)}`;
  const grips: { grip: Grip; label: string }[] = [
    { grip: 'start', label: 'from' },
    { grip: 'end', label: 'to' },
  ];
</script>

<div
  class="lane"
  class:drawing={drag && !drag.held}
  bind:this={lane}
  onpointerdown={(e) => begin(e)}
  onpointermove={move}
  onpointerup={end}
  onpointercancel={cancel}
  role="group"
  aria-label="{name}, drawn"
>
  {#each parts as { kind, index, part } (kind + String(index))}
    {@const held = (grip: Grip): Held => ({ kind, index, grip })}
    {@const limits = limitsOf(day, held('whole'))}
    <div
      class={kind === 'spans' ? 'alcove' : 'pillar'}
      class:held={drag?.held?.kind === kind && drag.held.index === index}
      style={place(axis, part)}
    >
      <button
        type="button"
        class="body"
        aria-label="{words(kind, part)}. Arrows move it, {kind === 'spans'
          ? 'S puts a break in it, '
          : ''}Delete removes it."
        onpointerdown={(e) => begin(e, held('whole'))}
        ondblclick={(e) => kind === 'spans' && onchange(withBreak($state.snapshot(day), index, minuteAt(e)))}
        onkeydown={(e) => press(e, held('whole'))}
      >
        {#if kind === 'spans'}
          {#each pieces(part) as p (p.start)}
            <span
              class="times"
              style="left:calc({((p.start - part.start) / (part.end - part.start)) * 100}% + 10px)"
              >{timeText(p.start)}–{timeText(p.end)}</span
            >
          {/each}
        {/if}
      </button>
      {#each grips as g (g.grip)}
        <span
          class="grip {g.grip}"
          role="slider"
          tabindex="0"
          aria-label="{name}, drawn {kind === 'spans' ? 'hours' : 'break'} {index + 1}, {g.label}"
          aria-valuemin={g.grip === 'start' ? limits.start : part.start}
          aria-valuemax={g.grip === 'start' ? part.end : limits.end}
          aria-valuenow={g.grip === 'start' ? part.start : part.end}
          aria-valuetext={timeText(g.grip === 'start' ? part.start : part.end)}
          onpointerdown={(e) => begin(e, held(g.grip))}
          onkeydown={(e) => press(e, held(g.grip))}
        ></span>
      {/each}
      {#if kind === 'spans'}
        <span class="tools">
          <button
            type="button"
            aria-label="Put a break into {words(kind, part)}"
            title="Put a break in"
            onpointerdown={(e) => e.stopPropagation()}
            onclick={() => onchange(withBreak($state.snapshot(day), index))}><Scissors size={13} /></button
          >
          <button
            type="button"
            aria-label="Remove {words(kind, part)}"
            title="Remove"
            onpointerdown={(e) => e.stopPropagation()}
            onclick={() => onchange(without($state.snapshot(day), held('whole')))}><X size={14} /></button
          >
        </span>
      {/if}
    </div>
  {/each}
</div>

<style>
  .lane {
    position: relative;
    height: 100%;
    min-height: 52px;
    background: var(--color-wall);
    border-top: 1px solid var(--color-wall-line);
    cursor: crosshair;
    touch-action: pan-y;
    overflow: hidden;
  }
  .alcove,
  .pillar {
    position: absolute;
    bottom: 0;
  }
  .alcove {
    top: 7px;
    background: var(--color-alcove);
    border-radius: 10px 10px 0 0;
    box-shadow:
      inset 0 3px 5px -1px var(--color-recess),
      inset 1px 0 0 var(--color-edge),
      inset -1px 0 0 var(--color-edge);
    container-type: inline-size;
  }
  .pillar {
    top: 7px;
    background: var(--color-wall);
    z-index: 1;
  }
  .alcove.held,
  .alcove:focus-within {
    box-shadow: inset 0 0 0 2px var(--color-primary);
  }
  .pillar.held,
  .pillar:focus-within {
    box-shadow: inset 0 0 0 2px var(--color-primary);
  }
  .body {
    position: absolute;
    inset: 0;
    width: 100%;
    padding: 0 10px;
    text-align: left;
    cursor: grab;
    /* A finger that goes up or down scrolls the page. */
    touch-action: pan-y;
  }
  .held .body {
    cursor: grabbing;
  }
  .times {
    font-size: 0.8125rem;
    font-weight: 600;
    position: absolute;
    top: 50%;
    translate: 0 -50%;
    white-space: nowrap;
    pointer-events: none;
  }
  .grip {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 12px;
    cursor: ew-resize;
    touch-action: none;
  }
  .grip.start {
    left: -3px;
  }
  .grip.end {
    right: -3px;
  }
  .grip::after {
    content: '';
    position: absolute;
    top: 30%;
    bottom: 22%;
    left: 4px;
    width: 4px;
    border-radius: 2px;
    background: var(--color-primary);
    opacity: 0;
  }
  .alcove:hover .grip::after,
  .pillar:hover .grip::after,
  .held .grip::after,
  .grip:focus-visible::after {
    opacity: 1;
  }
  .tools {
    position: absolute;
    right: 12px;
    top: 0;
    bottom: 0;
    display: flex;
    align-items: center;
    gap: 2px;
    opacity: 0;
  }
  .tools button {
    display: grid;
    place-items: center;
    width: 22px;
    height: 24px;
    border-radius: 5px;
    cursor: pointer;
    color: var(--color-mute);
  }
  .tools button:hover {
    background: var(--color-base-300);
    color: var(--color-ink);
  }
  .alcove:hover .tools,
  .alcove:focus-within .tools {
    opacity: 1;
  }
  @media (hover: none) {
    .tools,
    .grip::after {
      opacity: 1;
    }
    .tools {
      right: 22px;
    }
    .grip {
      width: 24px;
    }
    .grip::after {
      left: 10px;
    }
    .grip.start {
      left: -8px;
    }
    .grip.end {
      right: -8px;
    }
  }
  @container (max-width: 150px) {
    .tools {
      display: none;
    }
  }
  @container (max-width: 84px) {
    .times {
      display: none;
    }
  }
</style>
