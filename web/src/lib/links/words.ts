import type { Shape } from '$lib/api/client';
import { writeLength } from '$lib/ui/typed';

type Calendar = Shape<'Calendar'>;

/** How much is kept free around events. */
export const kept = (minutes: number): string => (minutes === 0 ? 'nothing' : writeLength(minutes));

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

/** When a calendar that could not be read is tried again. A host that does not answer is left alone for a while. */
export function tryWords(c: Calendar): string {
  if (c.resting) return `not asked again for ${age(c.nextIn)}`;
  return c.nextIn > 1 ? `next try in ${age(c.nextIn)}` : 'trying again';
}

/** What some links are for: the names of the calendars that block time, and of those that get bookings. */
export function usesOf(links: Shape<'Link'>[]): {
  blocking: string[];
  getting: string[];
  opened: string[];
  named: string;
} {
  const open = links.filter((l) => !l.closing);
  const all = open.flatMap((l) => l.calendars);
  const ways = open.filter((l) => l.calendars.some((c) => c.getsBookings)).map((l) => l.wishes.clients);
  return {
    blocking: all.filter((c) => c.blocks).map((c) => c.name),
    getting: all.filter((c) => c.getsBookings).map((c) => c.name),
    opened: all.filter((c) => c.titles).map((c) => c.name),
    // Where one of several names the client, the name goes out.
    named: ways.every((w) => w === 'unnamed') ? 'by reference alone' : 'with the client’s name',
  };
}

/** Names, one after the other. */
export const names = (list: string[]): string => new Intl.ListFormat('en-GB').format(list);

/** So many copies. */
export function copies(count: number): string {
  return count === 1 ? 'One copy of a visit ahead' : `${count} copies of visits ahead`;
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
    c.padBefore ? `${kept(c.padBefore)} before` : '',
    c.padAfter ? `${kept(c.padAfter)} after` : '',
  ].filter(Boolean);
  let text = 'Its events take their time';
  if (pads.length) text += ` and ${pads.join(' and ')}`;
  text += free.length ? `, except ${free.join(' and ')} ones.` : ', tentative and all-day ones too.';
  return text + ' What is marked as free, cancelled or declined does not count.';
}
