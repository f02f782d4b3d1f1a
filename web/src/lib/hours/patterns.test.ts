import { describe, expect, it } from 'vitest';
import { rangeWords } from './dates';
import { dayOn, draftPatterns, inForce, patternsOf, spanWords, stretches } from './patterns';

const week = { mon: { spans: [['09:00', '17:00']], breaks: [] } };
const stored = [
  { from: '2026-01-01', until: null, cycle: [week, {}] },
  { from: '2026-06-01', until: '2026-08-31', cycle: [{}] },
  { from: '2026-06-01', until: null, cycle: [week] },
];

describe('patterns being edited', () => {
  it('come back as they were', () => {
    expect(patternsOf(draftPatterns(stored))).toEqual(stored);
  });

  it.each([
    ['2025-12-31', -1],
    ['2026-05-31', 0],
    ['2026-06-01', 2],
    ['2026-09-01', 2],
  ])('on %s number %d is in force', (date, index) =>
    expect(inForce(draftPatterns(stored), date)).toBe(index),
  );

  it('say when they count', () => {
    expect(draftPatterns(stored).slice(0, 2).map(spanWords)).toEqual([
      'from 1 January 2026',
      '1 June 2026 – 31 August 2026',
    ]);
  });

  it('are in force by stretches', () => {
    const drafts = draftPatterns([
      { from: '2026-01-01', until: null, cycle: [week] },
      { from: '2026-06-01', until: '2026-08-31', cycle: [{}] },
    ]);
    expect(stretches(drafts, '2025-12-01', '2026-12-31')).toEqual([
      { from: '2025-12-01', until: '2025-12-31', index: -1 },
      { from: '2026-01-01', until: '2026-05-31', index: 0 },
      { from: '2026-06-01', until: '2026-08-31', index: 1 },
      { from: '2026-09-01', until: '2026-12-31', index: 0 },
    ]);
  });

  it('give each date its hours, week by week', () => {
    const drafts = draftPatterns([{ from: '2026-01-01', until: null, cycle: [week, {}] }]);
    // 29 December 2025 is the Monday of the first week, though the pattern begins on the Thursday.
    expect(
      ['2025-12-29', '2026-01-05', '2026-01-12', '2026-01-19'].map((d) => dayOn(drafts, d).spans.length),
    ).toEqual([0, 0, 1, 0]);
  });

  it('are spoken of by dates', () => {
    expect(rangeWords('2026-12-10', '2026-12-14')).toBe('10–14 December');
    expect(rangeWords('2026-11-30', '2026-12-02')).toBe('30 November–2 December');
    expect(rangeWords('2026-12-04', '2026-12-04')).toBe('4 December');
  });
});
