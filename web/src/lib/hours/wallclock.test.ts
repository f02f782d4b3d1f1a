import { describe, expect, it } from 'vitest';
import { readTime, stretch } from './wallclock';

describe('reading times as people type them', () => {
  it.each([
    ['9', '09:00'],
    ['9:30', '09:30'],
    ['0930', '09:30'],
    ['930', '09:30'],
    ['9.30', '09:30'],
    [' 17:05 ', '17:05'],
    ['24', '24:00'],
    ['24:00', '24:00'],
    ['24:01', undefined],
    ['25', undefined],
    ['9:60', undefined],
    ['9:3', undefined],
    ['nine', undefined],
    ['', undefined],
  ])('%j is %j', (text, time) => expect(readTime(text)).toBe(time));

  it('lets a span run over midnight', () => {
    expect(stretch(['18:00', '02:00'])).toEqual({ start: 1080, end: 1560 });
    expect(stretch(['09:00', '24:00'])).toEqual({ start: 540, end: 1440 });
  });
});
