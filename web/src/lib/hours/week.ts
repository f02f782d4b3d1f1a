import type { Shape } from '$lib/api/client';
import { readTime, stretch } from './wallclock';

/** A span as it is being typed: two texts. */
export type Draft = [string, string];
export type DraftDay = { spans: Draft[]; breaks: Draft[] };
export type DraftWeek = Record<DayKey, DraftDay>;

export const dayKeys = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;
export type DayKey = (typeof dayKeys)[number];

export const dayNames: Record<DayKey, string> = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday',
};

export function draftOf(week: Record<string, Shape<'Day'>> = {}): DraftWeek {
  const copy = (list: string[][] = []) => list.map((s): Draft => [s[0] ?? '', s[1] ?? '']);
  return Object.fromEntries(
    dayKeys.map((key) => [key, { spans: copy(week[key]?.spans), breaks: copy(week[key]?.breaks) }]),
  ) as DraftWeek;
}

/** The week as the server takes it. What cannot be read goes along as typed, for the server to name. */
export function weekOf(draft: DraftWeek): Record<string, Shape<'Day'>> {
  const read = (list: Draft[]) => list.map(([from, to]) => [readTime(from) ?? from, readTime(to) ?? to]);
  return Object.fromEntries(
    dayKeys
      .filter((key) => draft[key].spans.length + draft[key].breaks.length > 0)
      .map((key) => [key, { spans: read(draft[key].spans), breaks: read(draft[key].breaks) }]),
  );
}

/** The spans that can be read, as minutes, for the picture beside the fields. */
export function drawn(list: Draft[]): { start: number; end: number }[] {
  return list.flatMap(([from, to]) => {
    const [a, b] = [readTime(from), readTime(to)];
    return a && b ? [stretch([a, b])] : [];
  });
}

/** Spans less breaks: the pieces of open time of a day. */
export function pieces(day: DraftDay): { start: number; end: number }[] {
  return drawn(day.breaks).reduce(
    (open, pause) =>
      open.flatMap((p) =>
        [
          { start: p.start, end: Math.min(p.end, pause.start) },
          { start: Math.max(p.start, pause.end), end: p.end },
        ].filter((q) => q.start < q.end),
      ),
    drawn(day.spans),
  );
}

export function minutesOfWeek(week: DraftWeek): number {
  return dayKeys.flatMap((key) => pieces(week[key])).reduce((sum, p) => sum + p.end - p.start, 0);
}
