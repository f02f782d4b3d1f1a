import { describe, expect, it } from 'vitest';
import { notices, noticeWords, readLengths, windows, windowWords } from './form';

describe('what the rules of a service say', () => {
  it.each([
    [notices.minutes, 'until 4 h before it starts'],
    [{ minutes: 1440 }, 'until 1 day before it starts'],
    [{ minutes: 4320 }, 'until 3 days before it starts'],
    [{ minutes: 0 }, 'until it starts'],
    [notices.none, 'until it starts'],
    [notices.day, 'until 18:00 the day before'],
    [{ daysBefore: 0, by: '09:00' }, 'until 09:00 on the day'],
  ])('notice %j', (notice, words) => expect(noticeWords(notice)).toBe(words));

  it.each([
    [windows.days, '60 days ahead'],
    [windows.none, 'up to a year ahead'],
    [windows.dates, 'up to a year ahead'],
    [{ from: '2026-05-01' }, 'from 1 May 2026'],
    [{ from: '2026-05-01', to: '2026-06-01' }, 'from 1 May 2026 to 1 June 2026'],
  ])('window %j', (window, words) => expect(windowWords(window)).toBe(words));

  it('reads lengths as they are typed', () => {
    expect(readLengths(' 45, 1 h;1 h 30 ,')).toEqual([45, 60, 90]);
    expect(readLengths('soon')).toEqual([NaN]);
  });
});
