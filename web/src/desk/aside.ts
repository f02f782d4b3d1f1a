import { searchParams } from 'sv-router';

// What is open at the side stands in the address, so that it can be sent to a colleague: a visit by its number, or a question
// as PERSON@INSTANT. One of them at most is open.

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

/** Asks about one moment of one person. */
export function ask(staff: number, at: string | number): void {
  searchParams.delete('visit');
  searchParams.set(
    'why',
    `${staff}@${typeof at === 'string' ? at : new Date(at).toISOString().replace('.000', '')}`,
  );
}

/** Opens a visit. */
export function open(key: string): void {
  searchParams.delete('why');
  searchParams.set('visit', key);
}

/** Closes what is open. */
export function close(): void {
  searchParams.delete('why');
  searchParams.delete('visit');
}
