<script lang="ts">
  import Arch from './Arch.svelte';
  import { place, shared, whole, type Axis, type Course } from './geometry';
  import { linesOf, type Solid } from './lane';

  /** A booking as it stands in a lane, between the ramps of its buffers. */
  let {
    axis,
    solid: s,
    index,
    course = whole,
    picked,
    onpick,
  }: {
    axis: Axis;
    solid: Solid;
    /** Which of the lane's bookings it is. */
    index: number;
    course?: Course;
    picked: boolean;
    onpick?: () => void;
  } = $props();

  const ramp = $derived(`;background:var(--color-hue-${s.hue})${shared(course)}`);
</script>

<div class="ramp up" style="{place(axis, { start: s.occupied.start, end: s.start })}{ramp}"></div>
<div class="ramp down" style="{place(axis, { start: s.end, end: s.occupied.end })}{ramp}"></div>
<button
  type="button"
  class="solid"
  class:pending={s.pending}
  class:picked
  class:clash={s.clash}
  class:declined={s.comes === false}
  class:low={course.of > 1}
  style="{place(axis, s)};--hue:var(--color-hue-{s.hue}){shared(course)}"
  aria-label="{s.title}, {linesOf(s).join('; ')}"
  data-layer="solid"
  data-index={index}
  onclick={() => onpick?.()}
>
  <b><span class="long">{s.title}</span><span class="short">{s.short}</span></b>
  <span class="sub">{s.sub}</span>
  <span class="seal"><Arch state={s.copy} /></span>
</button>

<style>
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
  /* Whose client says that they do not come: the name is struck through. */
  .solid.declined b {
    text-decoration: line-through 2px;
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
    justify-content: center;
    padding-block: 1px;
    border-radius: 0;
  }
  .solid.low .sub,
  .solid.low.clash::after {
    display: none;
  }
  .solid.low .seal {
    top: calc(50% - 7px);
    bottom: auto;
  }
  .solid.low b {
    padding-right: 16px;
  }
  .solid .short {
    display: none;
  }
  .seal {
    position: absolute;
    right: 5px;
    bottom: 4px;
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
  @media print {
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
    .seal {
      bottom: 1px;
    }
  }
</style>
