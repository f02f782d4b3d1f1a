/** How a client wants times shown. */
export type Clock = '12' | '24';

const key = 'niche-clock';

export function presentClock(): Clock {
  const kept = localStorage.getItem(key);
  if (kept === '12' || kept === '24') return kept;
  return new Intl.DateTimeFormat(undefined, { hour: 'numeric' }).resolvedOptions().hour12 ? '12' : '24';
}

export function keepClock(clock: Clock): void {
  localStorage.setItem(key, clock);
}

/** Parts of a day to which a client can narrow the starts, by the minute of the day. */
export const dayParts = [
  { key: 'any', label: 'any time', from: 0, to: 1440 },
  { key: 'mornings', label: 'mornings', from: 0, to: 720 },
  { key: 'afternoons', label: 'afternoons', from: 720, to: 1020 },
  { key: 'evenings', label: 'after 17:00', from: 1020, to: 1440 },
] as const;
