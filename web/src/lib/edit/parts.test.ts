import { describe, expect, it } from 'vitest';
import type { Shape } from '$lib/api/client';
import { differing, fields, partsOfClosures, partsOfDays, partsOfHours, type Part } from './parts';

const day = (...spans: string[][]): Shape<'Day'> => ({ spans, breaks: [] });
const week = {
  mon: day(['09:00', '17:00']),
  tue: { spans: [['09:00', '17:00']], breaks: [['12:00', '13:00']] },
};
const hours = (...cycle: Record<string, Shape<'Day'>>[]): Shape<'Hours'> => ({
  patterns: [{ from: '2026-03-02', until: null, cycle }],
});
const away = (from: string, note = '') => ({ from, until: from, note });

/** Whatever two versions are: with all of theirs taken, theirs it is; the parts that differ are said. */
function checks<Body>(parts: (a: Body, b: Body) => Part<Body>[], mine: Body, theirs: Body): string[] {
  const rows = differing(parts(mine, theirs), mine, theirs);
  const mixture = structuredClone(mine);
  for (const row of rows) row.copy(theirs, mixture);
  expect(differing(parts(mixture, theirs), mixture, theirs)).toEqual([]);
  return rows.map((r) => `${r.label}: ${r.text(mine)} | ${r.text(theirs)}`);
}

describe('two versions', () => {
  it('of hours differ day by day, or pattern by pattern', () => {
    expect(
      checks(partsOfHours, hours(week), hours({ ...week, mon: day(), tue: day(['10:00', '12:00']) })),
    ).toEqual(['Monday: 09:00–17:00 | closed', 'Tuesday: 09:00–17:00 without 12:00–13:00 | 10:00–12:00']);
    expect(checks(partsOfHours, hours(week), hours(week, {}))[0]).toMatch(
      /^In force: from 2 March 2026: Mon 09:00/,
    );
    const more = { patterns: [...hours(week).patterns, ...hours({}).patterns] };
    expect(checks(partsOfHours, more, hours(week))[0]).toMatch(
      /^Pattern 2: from 2 March 2026.*\| there is none$/,
    );
    expect(checks(partsOfHours, hours(week), more)).toHaveLength(1);
  });
  it('of days differ date by date', () => {
    const mine = { absences: [away('2026-03-04', 'Sailing')], oneOffs: [] };
    const theirs = {
      absences: [away('2026-03-05')],
      oneOffs: [{ date: '2026-03-06', spans: [['09:00', '10:00']], note: '' }],
    };
    expect(checks(partsOfDays, mine, theirs)).toEqual([
      'Away Wed, 4 Mar 2026: Sailing | not away',
      'Away Thu, 5 Mar 2026: not away | yes',
      'Fri, 6 Mar 2026: as every week | 09:00–10:00',
    ]);
    const closed = (date: string, name: string) => ({ items: [{ date, name }] });
    expect(checks(partsOfClosures, closed('2026-03-04', 'Fair'), closed('2026-03-05', ''))).toEqual([
      'Wed, 4 Mar 2026: Fair | open',
      'Thu, 5 Mar 2026: open | closed',
    ]);
  });
  it('of a form differ field by field', () => {
    const parts = fields<{ name: string; cap?: number; on: boolean; staff: number[] }>(
      { name: 'Name', cap: 'Cap', on: 'Paused', staff: 'By' },
      { staff: (ids) => ids.map((n) => `#${n}`).join(' ') },
    );
    const mine = { name: 'A', cap: 3, on: true, staff: [1] };
    expect(checks(() => parts, mine, { name: 'A', on: false, staff: [1, 2] })).toEqual([
      'Cap: 3 | none',
      'Paused: yes | no',
      'By: #1 | #1 #2',
    ]);
  });
});
