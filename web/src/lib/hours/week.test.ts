import { describe, expect, it } from 'vitest';
import { draftOf, minutesOfWeek, pieces, weekOf } from './week';

describe('a week of hours being typed', () => {
  const draft = draftOf({
    mon: { spans: [['09:00', '17:30']], breaks: [['12:30', '13:15']] },
    fri: { spans: [['18:00', '02:00']] },
  });

  it('cuts breaks out of spans', () => {
    expect(pieces(draft.mon)).toEqual([
      { start: 540, end: 750 },
      { start: 795, end: 1050 },
    ]);
    expect(minutesOfWeek(draft)).toBe(465 + 480);
  });

  it('reads loose times, and sends what cannot be read as it was typed', () => {
    draft.tue.spans = [
      ['9', '1730'],
      ['soon', '19'],
    ];
    expect(pieces(draft.tue)).toEqual([{ start: 540, end: 1050 }]);
    expect(weekOf(draft)).toEqual({
      mon: { spans: [['09:00', '17:30']], breaks: [['12:30', '13:15']] },
      tue: {
        spans: [
          ['09:00', '17:30'],
          ['soon', '19:00'],
        ],
        breaks: [],
      },
      fri: { spans: [['18:00', '02:00']], breaks: [] },
    });
  });
});
