import type { Part } from '$lib/lane/geometry';
import { drawn, type Draft, type DraftDay } from './week';

/** What of a span is held while it is dragged: an edge, or all of it. */
export type Grip = 'start' | 'end' | 'whole';

/** A span or a break of a day that is being edited. */
export type Held = { kind: 'spans' | 'breaks'; index: number; grip: Grip };

/** The steps to which edges keep, in minutes, and the finer ones with a modifier. */
export const step = 15;
export const fineStep = 5;

const day = 1440;

export function snap(minute: number, fine: boolean): number {
  const to = fine ? fineStep : step;
  return Math.round(minute / to) * to;
}

/** A time of day as hh:mm; what lies past midnight is on the next day, and midnight itself ends the day as 24:00. */
export function timeText(minute: number): string {
  const m = minute > day ? minute - day : minute;
  return `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`;
}

export function draftOfPart(part: Part): Draft {
  return [timeText(part.start), timeText(part.end)];
}

/** A span of a list as minutes, if its times can be read. */
export function partAt(list: Draft[], index: number): Part | undefined {
  const span = list[index];
  return span && drawn([span])[0];
}

const clamp = (value: number, low: number, high: number) =>
  Math.min(Math.max(value, low), Math.max(low, high));

/** The stretch after a grip was moved to another place, kept between two limits. */
export function dragged(part: Part, grip: Grip, by: number, limits: Part): Part {
  const length = part.end - part.start;
  switch (grip) {
    case 'start':
      return { start: clamp(part.start + by, limits.start, part.end - fineStep), end: part.end };
    case 'end':
      return { start: part.start, end: clamp(part.end + by, part.start + fineStep, limits.end) };
    case 'whole': {
      const start = clamp(part.start + by, limits.start, limits.end - length);
      return { start, end: start + length };
    }
  }
}

/** How far a span or break can go: to its neighbours; a break to the ends of the span that it lies in. */
export function limitsOf(d: DraftDay, { kind, index }: Held): Part {
  const own = partAt(d[kind], index) ?? { start: 0, end: day };
  const others = drawn(d[kind].filter((_, i) => i !== index));
  const around =
    kind === 'breaks' ? drawn(d.spans).find((s) => s.start <= own.start && own.end <= s.end) : undefined;
  const low = around?.start ?? 0;
  const high = around?.end ?? Math.min(own.start, day - step) + day;
  return {
    start: Math.max(low, ...others.filter((o) => o.end <= own.start).map((o) => o.end)),
    end: Math.min(high, ...others.filter((o) => o.start >= own.end).map((o) => o.start)),
  };
}

/** The day after something was dragged by some minutes; breaks go along with their span. */
export function after(before: DraftDay, held: Held, by: number): DraftDay {
  const part = partAt(before[held.kind], held.index);
  if (!part) return before;
  let limits = limitsOf(before, held);
  if (held.kind === 'spans' && held.grip === 'whole')
    limits = { start: limits.start, end: Math.min(limits.end, day * 2 - step) };
  const moved = dragged(part, held.grip, by, limits);
  if (held.kind === 'spans' && moved.start >= day) return before;
  const replaced = {
    ...before,
    [held.kind]: before[held.kind].map((s, i) => (i === held.index ? draftOfPart(moved) : s)),
  };
  if (held.kind === 'breaks' || held.grip !== 'whole') return replaced;
  const shift = moved.start - part.start;
  const along = (text: Draft) => {
    const b = partAt([text], 0);
    const inside = b && b.start >= part.start && b.end <= part.end;
    return inside ? draftOfPart({ start: b.start + shift, end: b.end + shift }) : text;
  };
  return { ...replaced, breaks: before.breaks.map(along) };
}

/** The day with a span drawn from one minute to another, or with a break where that lies in a span. */
export function drawnFrom(d: DraftDay, a: number, b: number): DraftDay {
  const part = { start: Math.min(a, b), end: Math.max(a, b) };
  const free = drawn(d.spans).every((s) => s.end <= part.start || s.start >= part.end);
  if (part.end - part.start < fineStep || part.start >= day || !free) return d;
  return { ...d, spans: sorted([...d.spans, draftOfPart(part)]) };
}

/** The day with a break in the middle of a span, or around a minute. */
export function withBreak(d: DraftDay, index: number, at?: number): DraftDay {
  const span = partAt(d.spans, index);
  if (!span) return d;
  const length = Math.min(30, span.end - span.start - 2 * fineStep);
  const middle = at ?? (span.start + span.end) / 2;
  const start = clamp(snap(middle - length / 2, false), span.start + fineStep, span.end - fineStep - length);
  const part = { start, end: start + length };
  if (length < fineStep || drawn(d.breaks).some((o) => o.start < part.end && part.start < o.end)) return d;
  return { ...d, breaks: sorted([...d.breaks, draftOfPart(part)]) };
}

/** The day without a span, whose breaks go with it, or without a break. */
export function without(d: DraftDay, { kind, index }: Held): DraftDay {
  const part = partAt(d[kind], index);
  const rest = d[kind].filter((_, i) => i !== index);
  if (kind === 'breaks' || !part) return { ...d, [kind]: rest };
  const stays = (b: Draft) => {
    const p = partAt([b], 0);
    return !p || p.end <= part.start || p.start >= part.end;
  };
  return { spans: rest, breaks: d.breaks.filter(stays) };
}

function sorted(list: Draft[]): Draft[] {
  return list.slice().sort((a, b) => (partAt([a], 0)?.start ?? 0) - (partAt([b], 0)?.start ?? 0));
}

/** What is wrong with which span and break of a day, as far as that can be told before saving. */
export function faultsOf(d: DraftDay): Record<'spans' | 'breaks', Record<number, string>> {
  const out: Record<'spans' | 'breaks', Record<number, string>> = { spans: {}, breaks: {} };
  for (const kind of ['spans', 'breaks'] as const) {
    const parts = d[kind].map((_, i) => partAt(d[kind], i));
    parts.forEach((p, i) => {
      if (!p) {
        if (d[kind][i]?.every((t) => t !== '')) out[kind][i] = 'Times are written as 9:30.';
        return;
      }
      const other = parts.findIndex((o, k) => k < i && o && o.start < p.end && p.start < o.end);
      if (other >= 0) out[kind][i] = `Overlaps ${d[kind][other]?.join('–')}.`;
      else if (kind === 'breaks' && !drawn(d.spans).some((s) => s.start <= p.start && p.end <= s.end)) {
        out.breaks[i] = 'Lies outside the hours.';
      }
    });
  }
  return out;
}
