import { describe, expect, it } from 'vitest';
import { isDate, readDate, readLength, writeDate, writeLength, writeWork, type Order } from './typed';

const today = '2026-11-25'; // a Wednesday

describe('dates as people type them', () => {
  const cases: [string, Order, string | undefined][] = [
    ['2026-11-26', 'mdy', '2026-11-26'],
    ['26 nov', 'dmy', '2026-11-26'],
    ['26 November 2027', 'dmy', '2027-11-26'],
    ['Nov 26, 2027', 'mdy', '2027-11-26'],
    ['26th of', 'dmy', undefined],
    ['1st jan', 'dmy', '2027-01-01'],
    ['3 oct', 'dmy', '2026-10-03'],
    ['3 sept', 'dmy', '2027-09-03'],
    ['26/11', 'dmy', '2026-11-26'],
    ['11/26', 'mdy', '2026-11-26'],
    ['26.11.27', 'dmy', '2027-11-26'],
    ['3/4/2027', 'dmy', '2027-04-03'],
    ['3/4/2027', 'mdy', '2027-03-04'],
    ['27-4-3', 'ymd', '2027-04-03'],
    ['29 feb', 'dmy', '2028-02-29'],
    ['30 feb', 'dmy', undefined],
    ['31/11', 'dmy', undefined],
    ['26/11', 'mdy', undefined],
    ['today', 'dmy', today],
    ['Tomorrow', 'dmy', '2026-11-26'],
    ['friday', 'dmy', '2026-11-27'],
    ['wed', 'dmy', '2026-12-02'],
    ['Thu 26 Nov 2026', 'dmy', '2026-11-26'],
    ['in 3 days', 'dmy', '2026-11-28'],
    ['in 2 weeks', 'dmy', '2026-12-09'],
    ['monkey', 'dmy', undefined],
    ['5', 'dmy', undefined],
    ['1/2/3/4', 'dmy', undefined],
    ['', 'dmy', undefined],
  ];
  it.each(cases)('%s (%s)', (text, order, want) => expect(readDate(text, today, order)).toBe(want));

  it('what stands in a field is read again as the same date', () => {
    for (const order of ['dmy', 'mdy', 'ymd'] as const)
      for (let n = 0; n < 900; n += 7) {
        const date = new Date(Date.UTC(2026, 0, 1 + n)).toISOString().slice(0, 10);
        expect(readDate(writeDate(date), today, order)).toBe(date);
      }
    expect(writeDate('nonsense')).toBe('nonsense');
    expect(isDate('2026-02-29')).toBe(false);
  });
});

describe('lengths as people type them', () => {
  it.each([
    ['90', 90],
    ['90 min', 90],
    ['1 h 30', 90],
    ['1h30m', 90],
    ['1:30', 90],
    ['1.5 h', 90],
    ['1,5 hours', 90],
    ['4 h', 240],
    ['3 days', 4320],
    ['1 day 2 h', 1560],
    ['2 weeks', 20_160],
    ['0', 0],
    ['30 1 h', undefined],
    ['1 min 2 h', undefined],
    ['h', undefined],
    ['1.3 min', undefined],
    ['-5', undefined],
    ['soon', undefined],
    ['', undefined],
  ])('%s', (text, want) => expect(readLength(text)).toBe(want));

  it('what stands in a field is read again as the same length', () => {
    for (let m = 0; m < 50_000; m += 5) expect(readLength(writeLength(m))).toBe(m);
    expect([45, 2310, 2880].map(writeWork)).toEqual(['45 min', '38 h 30', '48 h']);
    expect([60, 75, 120, 190, 4320].map(writeLength)).toEqual(['1 h', '75 min', '2 h', '3 h 10', '3 days']);
  });
});
