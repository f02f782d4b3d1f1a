import { describe, expect, it } from 'vitest';
import { draftPatterns, inForce, patternsOf, spanWords } from './patterns';

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
});
