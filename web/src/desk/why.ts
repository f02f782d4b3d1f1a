import { searchParams } from 'sv-router';

/** What is asked about, kept in the address so that it can be sent to a colleague: PERSON@INSTANT. */
export type Asked = { staff: number; at: string; instant: number };

/** What the address asks about, if anything. */
export function asked(): Asked | undefined {
  const [staff, at] = String(searchParams.get('why') ?? '').split('@');
  const instant = Date.parse(at ?? '');
  return staff && at && !Number.isNaN(instant) ? { staff: Number(staff), at, instant } : undefined;
}

/** Asks about one moment of one person. */
export function ask(staff: number, at: string | number): void {
  searchParams.set(
    'why',
    `${staff}@${typeof at === 'string' ? at : new Date(at).toISOString().replace('.000', '')}`,
  );
}

/** Closes the question. */
export function unask(): void {
  searchParams.delete('why');
}
