import { describe, expect, it } from 'vitest';
import { after, drawnFrom, faultsOf, limitsOf, snap, timeText, withBreak, without } from './edit';
import type { DraftDay } from './week';

const day: DraftDay = {
  spans: [
    ['09:00', '12:00'],
    ['14:00', '18:00'],
  ],
  breaks: [['15:00', '15:30']],
};
const night: DraftDay = { spans: [['20:00', '02:00']], breaks: [] };
const said = (d: DraftDay) =>
  `${d.spans.map((s) => s.join('-')).join(' ')} | ${d.breaks.map((s) => s.join('-')).join(' ')}`;

describe('a day that is dragged', () => {
  it.each([
    [
      'an edge goes where it is dragged',
      day,
      { kind: 'spans', index: 0, grip: 'start' },
      -30,
      '08:30-12:00 14:00-18:00 | 15:00-15:30',
    ],
    [
      'an edge stops at its neighbour',
      day,
      { kind: 'spans', index: 0, grip: 'end' },
      300,
      '09:00-14:00 14:00-18:00 | 15:00-15:30',
    ],
    [
      'a span keeps some length',
      day,
      { kind: 'spans', index: 0, grip: 'end' },
      -900,
      '09:00-09:05 14:00-18:00 | 15:00-15:30',
    ],
    [
      'breaks go along with their span',
      day,
      { kind: 'spans', index: 1, grip: 'whole' },
      -60,
      '09:00-12:00 13:00-17:00 | 14:00-14:30',
    ],
    [
      'and stop with it',
      day,
      { kind: 'spans', index: 1, grip: 'whole' },
      -600,
      '09:00-12:00 12:00-16:00 | 13:00-13:30',
    ],
    [
      'a break stays in its span',
      day,
      { kind: 'breaks', index: 0, grip: 'whole' },
      600,
      '09:00-12:00 14:00-18:00 | 17:30-18:00',
    ],
    [
      'an end goes over midnight',
      day,
      { kind: 'spans', index: 1, grip: 'end' },
      480,
      '09:00-12:00 14:00-02:00 | 15:00-15:30',
    ],
    [
      'midnight itself ends the day',
      day,
      { kind: 'spans', index: 1, grip: 'end' },
      360,
      '09:00-12:00 14:00-24:00 | 15:00-15:30',
    ],
    ['a night moves as one', night, { kind: 'spans', index: 0, grip: 'whole' }, 60, '21:00-03:00 | '],
    [
      'nothing begins before the day',
      day,
      { kind: 'spans', index: 0, grip: 'start' },
      -900,
      '00:00-12:00 14:00-18:00 | 15:00-15:30',
    ],
  ] as const)('%s', (_, before, held, by, want) => expect(said(after(before, held, by))).toBe(want));

  it('knows how far things can go', () => {
    expect(limitsOf(day, { kind: 'spans', index: 1, grip: 'end' })).toEqual({ start: 720, end: 840 + 1440 });
    expect(limitsOf(day, { kind: 'breaks', index: 0, grip: 'end' })).toEqual({ start: 840, end: 1080 });
  });

  it('is drawn on, where it is free', () => {
    expect(said(drawnFrom(day, 780, 735))).toBe('09:00-12:00 12:15-13:00 14:00-18:00 | 15:00-15:30');
    expect(drawnFrom(day, 700, 800)).toBe(day);
    expect(drawnFrom(day, 740, 741)).toBe(day);
  });

  it('is split by a break, and loses what is removed', () => {
    expect(said(withBreak(day, 0))).toBe('09:00-12:00 14:00-18:00 | 10:15-10:45 15:00-15:30');
    expect(said(withBreak(day, 0, 560))).toBe('09:00-12:00 14:00-18:00 | 09:05-09:35 15:00-15:30');
    expect(withBreak(day, 1, 915), 'there is one already').toBe(day);
    expect(said(without(day, { kind: 'spans', index: 1, grip: 'whole' }))).toBe('09:00-12:00 | ');
    expect(said(without(day, { kind: 'breaks', index: 0, grip: 'whole' }))).toBe(
      '09:00-12:00 14:00-18:00 | ',
    );
  });

  it('keeps to steps', () => {
    expect([snap(547, false), snap(548, false), snap(547, true)]).toEqual([540, 555, 545]);
    expect([timeText(0), timeText(1440), timeText(1470)]).toEqual(['00:00', '24:00', '00:30']);
  });

  it('tells what is wrong before it is saved', () => {
    expect(
      faultsOf({
        spans: [
          ['9', '12'],
          ['11:30', '13:00'],
          ['soon', '14'],
        ],
        breaks: [['08:00', '08:30']],
      }),
    ).toEqual({
      spans: { 1: 'Overlaps 9–12.', 2: 'Times are written as 9:30.' },
      breaks: { 0: 'Lies outside the hours.' },
    });
  });
});
