import type { Shape } from '$lib/api/client';
import { Form, type How } from '$lib/api/form.svelte';
import { addDays, rangeWords } from './dates';

export type Days = Shape<'Days'>;
export type DaysForm = Form<Days, Days, Shape<'DaysNow'>>;

/** One-off days and absences that are read and saved through doors. */
export const daysOver = (doors: Pick<How<Days, Days, Shape<'DaysNow'>>, 'read' | 'save'>): DaysForm =>
  new Form(
    { ...doors, value: ({ oneOffs, absences }) => ({ oneOffs, absences }), body: (days) => days },
    { oneOffs: [], absences: [] },
  );

/** The dates of the coming six weeks on which somebody is away, or has other hours. */
export function soonOf(days: Days, today: string): { away: string; other: string } {
  const end = addDays(today, 42);
  const near = (from: string, until: string) => until >= today && from <= end;
  const list = (words: string[]) => new Intl.ListFormat('en-GB').format(words);
  const single = (whole: boolean) =>
    days.oneOffs
      .filter((o) => !o.spans.length === whole && near(o.date, o.date))
      .map((o) => rangeWords(o.date, o.date));
  const ranges = days.absences.filter((a) => near(a.from, a.until)).map((a) => rangeWords(a.from, a.until));
  return { away: list([...ranges, ...single(true)]), other: list(single(false)) };
}
