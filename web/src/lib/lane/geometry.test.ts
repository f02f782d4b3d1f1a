import { describe, expect, it } from 'vitest';
import { between, courses, initials, left, place, shared, visible } from './geometry';

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

describe('courses', () => {
  const of = (text: string) =>
    text
      .split(' ')
      .filter(Boolean)
      .map((p) => ({ start: Number(p.split('-')[0]), end: Number(p.split('-')[1]) }));
  it.each([
    ['nothing', '', '', ''],
    ['one after the other', '1-3 3-5', '5-7', '0/1 0/1 0/1'],
    ['two that meet', '1-3 2-4', '', '0/2 1/2'],
    ['a booking under busy time', '2-4', '1-5', '0/2 1/2'],
    ['a whole day over two visits', '0-24', '1-3 5-7', '0/2 1/2 1/2'],
    ['a chain in which the ends do not meet', '1-4 3-6 5-8', '', '0/2 1/2 0/2'],
    ['given in any order', '5-8 1-4 3-6', '', '0/2 0/2 1/2'],
    ['three at once, and one apart', '1-9 2-9 3-9 9-10', '', '0/3 1/3 2/3 0/1'],
  ])('%s', (_, upper, lower, want) => {
    expect(
      courses(of(upper), of(lower))
        .map((c) => `${c.at}/${c.of}`)
        .join(' '),
    ).toBe(want);
  });
  it('share the height without a gap', () => {
    expect([0, 1, 2].map((at) => shared({ at, of: 3 }))).toEqual([
      ';top:0%;bottom:66.667%',
      ';top:33.333%;bottom:33.333%',
      ';top:66.667%;bottom:0%',
    ]);
    expect(shared({ at: 0, of: 1 })).toBe('');
  });
});
