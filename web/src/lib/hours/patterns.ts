import type { Shape } from '$lib/api/client';
import { addDays, daysBetween, plainDate, tightDate, weekdayOf } from './dates';
import { dayKeys, draftOf, weekOf, type DraftDay, type DraftWeek } from './week';

/** A pattern as it is being edited. */
export type DraftPattern = { from: string; until: string; weeks: DraftWeek[] };

export function draftPatterns(patterns: Shape<'Pattern'>[]): DraftPattern[] {
  return patterns.map((p) => ({
    from: p.from,
    until: p.until ?? '',
    weeks: p.cycle.map((week) => draftOf(week)),
  }));
}

/** The patterns as the server takes them. */
export function patternsOf(drafts: DraftPattern[]): Shape<'Pattern'>[] {
  return drafts.map((d) => ({ from: d.from, until: d.until || null, cycle: d.weeks.map(weekOf) }));
}

/** The pattern that counts on a date: of those that hold it the one with the latest start, then the one listed last. */
export function inForce(drafts: DraftPattern[], date: string): number {
  return drafts.reduce(
    (best, d, i) =>
      d.from <= date && (!d.until || date <= d.until) && d.from >= (drafts[best]?.from ?? '') ? i : best,
    -1,
  );
}

/** When a pattern counts, in words. */
export function spanWords(d: DraftPattern): string {
  if (!d.from) return 'no start yet';
  return d.until ? `${plainDate(d.from)} – ${plainDate(d.until)}` : `from ${plainDate(d.from)}`;
}

/** When a pattern is in force, where there is little room. */
export function tightWords(d: DraftPattern): string {
  const end = d.until ? ` – ${tightDate(d.until)}` : '';
  const sameYear = d.from.slice(0, 4) === d.until.slice(0, 4);
  return d.from && end
    ? `${sameYear ? tightDate(d.from).slice(0, -5) : tightDate(d.from)}${end}`
    : spanWords(d);
}

/** A stretch of dates, both included, in which one pattern is in force; index -1 where none is. */
export type Stretch = { from: string; until: string; index: number };

/** Which pattern is in force when, between two dates. */
export function stretches(drafts: DraftPattern[], from: string, until: string): Stretch[] {
  const edges = drafts.flatMap((d) => [d.from, d.until ? addDays(d.until, 1) : '']);
  const starts = [from, ...edges.filter((e) => e > from && e <= until)].sort();
  return starts
    .filter((s, i) => s !== starts[i - 1])
    .map((s, i, all) => ({
      from: s,
      until: all[i + 1] ? addDays(all[i + 1] ?? '', -1) : until,
      index: inForce(drafts, s),
    }))
    .reduce<Stretch[]>((out, s) => {
      const last = out.at(-1);
      if (last && last.index === s.index) last.until = s.until;
      else out.push(s);
      return out;
    }, []);
}

/** Which week of a pattern's cycle a date on or after its start lies in: the cycle turns on Mondays. */
export function turnOf(pattern: DraftPattern, date: string): number {
  if (!pattern.from || date < pattern.from) return 0;
  const begun = addDays(pattern.from, -weekdayOf(pattern.from));
  return Math.floor(daysBetween(begun, date) / 7) % pattern.weeks.length;
}

/** The hours that the patterns give a date. */
export function dayOn(drafts: DraftPattern[], date: string): DraftDay {
  const pattern = drafts[inForce(drafts, date)];
  const key = dayKeys[weekdayOf(date)];
  if (!pattern || !key) return { spans: [], breaks: [] };
  return pattern.weeks[turnOf(pattern, date)]?.[key] ?? { spans: [], breaks: [] };
}
