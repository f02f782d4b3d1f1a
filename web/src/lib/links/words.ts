import type { Shape } from '$lib/api/client';

type Calendar = Shape<'Calendar'>;

/** A length of time, as 90 min or 2 h. */
export function span(minutes: number): string {
  if (minutes === 0) return 'nothing';
  return minutes % 60 === 0 ? `${minutes / 60} h` : `${minutes} min`;
}

/** An age, as 12 s, 5 min or 3 h. */
export function age(seconds: number): string {
  if (seconds < 90) return `${seconds} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;
}

/** When a calendar was read. */
export function readWords(c: Calendar): string {
  if (!c.blocks && !c.getsBookings) return 'not in use';
  return c.readAgo < 0 ? (c.error ? 'never read' : 'being read…') : `read ${age(c.readAgo)} ago`;
}

/** When a calendar that could not be read is tried again. */
export function tryWords(c: Calendar): string {
  return c.nextIn > 1 ? `next try in ${age(c.nextIn)}` : 'trying again';
}

/** What a calendar's present choices do. */
export function sentence(c: Calendar): string {
  if (!c.blocks) {
    return c.getsBookings
      ? 'Bookings are written here. Its own events take no time.'
      : 'Its events take no time, and nothing is written here.';
  }
  const free = [c.tentativeFree ? 'tentative' : '', c.allDayFree ? 'all-day' : ''].filter(Boolean);
  const pads = [
    c.padBefore ? `${span(c.padBefore)} before` : '',
    c.padAfter ? `${span(c.padAfter)} after` : '',
  ].filter(Boolean);
  let text = 'Its events take their time';
  if (pads.length) text += ` and ${pads.join(' and ')}`;
  text += free.length ? `, except ${free.join(' and ')} ones.` : ', tentative and all-day ones too.';
  return text + ' What is marked as free, cancelled or declined does not count.';
}
