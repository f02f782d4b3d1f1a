import type { Shape } from '$lib/api/client';
import { plainDate } from './dates';
import { draftOf, weekOf, type DraftWeek } from './week';

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
