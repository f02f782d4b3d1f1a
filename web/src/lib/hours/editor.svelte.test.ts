import { flushSync } from 'svelte';
import { describe, expect, it } from 'vitest';
import { Problem, type Shape } from '$lib/api/client';
import { HoursEditor } from './editor.svelte';
import { draftOf } from './week';

const day = { spans: [['09:00', '17:00']], breaks: [] };
const off = { spans: [], breaks: [] };
const week = { mon: day, tue: day, wed: off, thu: off, fri: off, sat: off, sun: off };
const kept = {
  patterns: [
    { from: '2026-01-05', until: '2026-03-31', cycle: [week] },
    { from: '2026-04-01', until: '', cycle: [week, { ...week, fri: day }] },
  ],
  version: 1,
} as unknown as Shape<'HoursNow'>;

/** An editor of those hours on a date, and what is done with it. */
async function on(today: string, story: (e: HoursEditor) => void | Promise<void>, refuse?: Problem) {
  const opened: HoursEditor[] = [];
  const end = $effect.root(() => {
    opened.push(
      new HoursEditor(
        { read: async () => kept, save: async () => (refuse ? Promise.reject(refuse) : kept) },
        () => today,
      ),
    );
  });
  for (const editor of opened) {
    await editor.form.open(1);
    flushSync();
    await story(editor);
  }
  end();
}

describe('hours that are edited', () => {
  it('shows the pattern in force and the week of its cycle, with its work', () =>
    on('2026-04-08', (e) => {
      expect([e.at, e.weekAt, e.present, e.average]).toEqual([1, 1, 1, 20 * 60]);
      expect(e.axis).toEqual({ from: 6 * 60, to: 21 * 60 });
    }));

  it('undoes and does again, one step a drag', () =>
    on('2026-02-02', (e) => {
      e.hold(true);
      const axis = e.axis;
      e.change('mon', { spans: [['05:00', '17:00']], breaks: [] });
      e.change('mon', { spans: [['03:00', '17:00']], breaks: [] });
      expect(e.axis).toBe(axis);
      e.hold(false);
      expect(e.axis.from).toBe(2 * 60);
      e.copy('mon', ['wed']);
      e.step(-1);
      expect([e.week.mon.spans, e.week.wed.spans]).toEqual([[['03:00', '17:00']], []]);
      e.step(-1);
      expect([e.week.mon.spans, e.form.changed, e.history.canUndo]).toEqual([
        [['09:00', '17:00']],
        false,
        false,
      ]);
      e.step(1);
      expect(e.week.mon.spans).toEqual([['03:00', '17:00']]);
    }));

  it('stays where there is something when patterns and weeks come and go', () =>
    on('2026-04-08', (e) => {
      e.addWeek();
      expect([e.weekAt, e.draft?.weeks.length]).toEqual([2, 3]);
      e.note();
      e.addPattern();
      e.note();
      expect([e.at, e.weekAt, e.draft?.weeks.length]).toEqual([2, 0, 3]);
      e.step(-1);
      expect(e.at).toBe(1);
      e.removePattern();
      expect([e.at, e.weekAt, e.week]).toEqual([0, 0, { ...draftOf(), ...e.week }]);
    }));

  it('tells what is wrong at the day that is shown', () =>
    on(
      '2026-02-02',
      async (e) => {
        expect(await e.form.save()).toBe(false);
        expect(e.faults('mon', 'spans')).toEqual({ 0: 'Too early.' });
        expect([e.faults('tue', 'spans'), e.fault('from')]).toEqual([{}, 'No date.']);
        e.pick(1);
        expect([e.faults('mon', 'spans'), e.fault('from')]).toEqual([{}, undefined]);
      },
      new Problem(
        {
          detail: 'No.',
          errors: [
            { field: 'patterns[0].cycle[0].mon.spans[0]', message: 'Too early.' },
            { field: 'patterns[0].from', message: 'No date.' },
          ],
        },
        422,
      ),
    ));
});
