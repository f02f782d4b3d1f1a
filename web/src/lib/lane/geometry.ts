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

/** Where a part stands among those that it meets: in which course, counted from the top, of how many. */
export type Course = { at: number; of: number };

/** The course of what meets nothing. */
export const whole: Course = { at: 0, of: 1 };

/**
 * Lays parts in courses, so that none covers another. Parts that meet, also by way of others, share the height; `lower`
 * parts stand below `upper` ones. What meets nothing has the whole height. The answer is in the order of the parts.
 */
export function courses(upper: Part[], lower: Part[] = []): Course[] {
  const all = [...upper, ...lower].map((part, i) => ({ part, low: i >= upper.length, at: 0, of: 1 }));
  let group: typeof all = [];
  let end = -Infinity;
  const settle = () => {
    const high = group.filter((p) => !p.low);
    const count = [high, group.filter((p) => p.low)].map(fill);
    for (const p of group)
      [p.at, p.of] = [p.low ? p.at + (count[0] ?? 0) : p.at, (count[0] ?? 0) + (count[1] ?? 0)];
    group = [];
  };
  /** Puts each into the first course that is free by then, and tells how many there are. */
  const fill = (parts: typeof all): number => {
    const ends: number[] = [];
    for (const p of parts) {
      const free = ends.findIndex((end) => end <= p.part.start);
      p.at = free < 0 ? ends.length : free;
      ends[p.at] = p.part.end;
    }
    return ends.length;
  };
  for (const p of all.toSorted((a, b) => a.part.start - b.part.start)) {
    if (p.part.start >= end) settle();
    group.push(p);
    end = Math.max(end, p.part.end);
  }
  settle();
  return all.map(({ at, of }) => ({ at, of }));
}

/** The style of a part that shares the height; empty for one that has it all. */
export function shared({ at, of }: Course): string {
  return of > 1 ? `;top:${round((100 * at) / of)}%;bottom:${round(100 - (100 * (at + 1)) / of)}%` : '';
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
