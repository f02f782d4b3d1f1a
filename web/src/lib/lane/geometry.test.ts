import { describe, expect, it } from 'vitest';
import { between, initials, left, place, visible } from './geometry';

const day = { from: 480, to: 1080 };

describe('placing stretches on an axis', () => {
  it.each([
    ['inside', { start: 540, end: 630 }, 'left:10%;width:15%', true],
    ['cut at the left', { start: 0, end: 540 }, 'left:0%;width:10%', true],
    ['cut at the right', { start: 1020, end: 2000 }, 'left:90%;width:10%', true],
    ['before the axis', { start: 0, end: 480 }, 'left:0%;width:0%', false],
    ['after the axis', { start: 1080, end: 1200 }, 'left:100%;width:0%', false],
  ])('%s', (_, part, style, seen) => {
    expect(place(day, part)).toBe(style);
    expect(visible(day, part)).toBe(seen);
  });

  it('keeps points on the axis', () => {
    expect([left(day, 0), left(day, 780), left(day, 9999)]).toEqual([0, 50, 100]);
  });

  it('reads instants with any offset', () => {
    expect(between({ start: '2026-03-02T08:00:00Z', end: '2026-03-02T10:00:00+01:00' })).toEqual({
      start: Date.UTC(2026, 2, 2, 8),
      end: Date.UTC(2026, 2, 2, 9),
    });
  });

  it.each([
    ['Rosa Osei', 'RO'],
    ['Cher', 'C'],
    ['Anna Maria de Luca', 'AM'],
  ])('shortens %s', (name, short) => expect(initials(name)).toBe(short));
});
