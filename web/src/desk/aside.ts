import { searchParams } from 'sv-router';

// What is open at the side stands in the address, so that it can be sent to a colleague: a visit by its number, a question
// as PERSON@INSTANT, or a stretch of somebody's day as PERSON@INSTANT~INSTANT. One of them at most is open.

/** A question why, about one moment of one person. */
export type Asked = { staff: number; at: string; instant: number };

/** What is asked about, if anything. */
export function asked(): Asked | undefined {
  const [staff, at] = String(searchParams.get('why') ?? '').split('@');
  const instant = Date.parse(at ?? '');
  return staff && at && !Number.isNaN(instant) ? { staff: Number(staff), at, instant } : undefined;
}

/** The key of the visit that is open; empty for none. */
export function opened(): string {
  return String(searchParams.get('visit') ?? '');
}

const instant = (at: number) => new Date(at).toISOString().replace('.000', '');

/** A stretch of somebody's day that was drawn, to be booked. */
export type Gap = { staff: number; from: string; to: string };

/** The stretch that is open, if one is. */
export function drawn(): Gap | undefined {
  const [staff, ends] = String(searchParams.get('gap') ?? '').split('@');
  const [from, to] = (ends ?? '').split('~');
  return staff && from && to ? { staff: Number(staff), from, to } : undefined;
}

/** A stretch as it stands in the address. */
export const gapKey = (staff: number, from: number, to: number) => `${staff}@${instant(from)}~${instant(to)}`;

/** Asks about one moment of one person. */
export function ask(staff: number, at: string | number): void {
  close();
  searchParams.set('why', `${staff}@${typeof at === 'string' ? at : instant(at)}`);
}

/** Opens a visit. */
export function open(key: string): void {
  close();
  searchParams.set('visit', key);
}

/** Closes what is open. */
export function close(): void {
  for (const one of ['why', 'visit', 'gap']) searchParams.delete(one);
}
