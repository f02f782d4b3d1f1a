/** The two ends of a drawing, in any unit that grows from left to right: milliseconds, or minutes of a day. */
export type Axis = { from: number; to: number };

/** A stretch on the axis. */
export type Part = { start: number; end: number };

/** Where a point lies, in percent from the left; what lies beyond an end is drawn at it. */
export function left(axis: Axis, at: number): number {
  const share = (at - axis.from) / (axis.to - axis.from);
  return Math.min(Math.max(share, 0), 1) * 100;
}

/** The style that places a stretch; what lies outside the axis is cut off. */
export function place(axis: Axis, part: Part): string {
  const from = left(axis, part.start);
  return `left:${round(from)}%;width:${round(left(axis, part.end) - from)}%`;
}

/** Whether any of a stretch can be seen. */
export function visible(axis: Axis, part: Part): boolean {
  return part.start < axis.to && part.end > axis.from;
}

/** A stretch given by two instants in ISO 8601, in milliseconds. */
export function between(stretch: { start: string; end: string }): Part {
  return { start: Date.parse(stretch.start), end: Date.parse(stretch.end) };
}

/** The first letters of a name, for where the name has no room. */
export function initials(name: string): string {
  return name
    .split(/\s+/)
    .map((word) => word.charAt(0))
    .slice(0, 2)
    .join('');
}

function round(percent: number): number {
  return Math.round(percent * 1000) / 1000;
}
