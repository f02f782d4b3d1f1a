import { describe, expect, it } from 'vitest';
import { fresh, noticeWords, readLengths, windowWords, type Form } from './form';

const form = (change: Partial<Form>): Form => ({ ...fresh, ...change });

describe('what the rules of a service say', () => {
  it.each([
    [{}, 'until 4 h before it starts'],
    [{ notice: 1440 }, 'until 1 day before it starts'],
    [{ notice: 4320 }, 'until 3 days before it starts'],
    [{ notice: 0 }, 'until it starts'],
    [{ noticeKind: 'none' as const }, 'until it starts'],
    [{ noticeKind: 'day' as const }, 'until 18:00 the day before'],
    [{ noticeKind: 'day' as const, noticeDays: 0, noticeBy: '09:00' }, 'until 09:00 on the day'],
  ])('notice %j', (change, words) => expect(noticeWords(form(change))).toBe(words));

  it.each([
    [{}, '60 days ahead'],
    [{ windowKind: 'none' as const }, 'as far ahead as anybody likes'],
    [{ windowKind: 'dates' as const, windowFrom: '2026-05-01' }, 'from 2026-05-01'],
    [
      { windowKind: 'dates' as const, windowFrom: '2026-05-01', windowTo: '2026-06-01' },
      'from 2026-05-01 to 2026-06-01',
    ],
  ])('window %j', (change, words) => expect(windowWords(form(change))).toBe(words));

  it('reads lengths as they are typed', () => {
    expect(readLengths(' 45, 60;90  x')).toEqual([45, 60, 90]);
  });
});
