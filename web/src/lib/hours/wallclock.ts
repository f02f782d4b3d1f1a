/** Reads a time of day as people type it: 9, 9:30, 0930, 9.30, 24. Gives hh:mm, or nothing. */
export function readTime(text: string): string | undefined {
  const match = /^\s*(\d{1,2})(?:[:.h ]?(\d{2}))?\s*$/.exec(text) ?? /^\s*(\d{2})(\d{2})\s*$/.exec(text);
  if (!match) return undefined;
  const hour = Number(match[1]);
  const minute = Number(match[2] ?? 0);
  if (minute > 59 || hour > 24 || (hour === 24 && minute > 0)) return undefined;
  return `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`;
}

/** The minutes since the beginning of the day of a time as hh:mm. */
export function minutesOf(time: string): number {
  return Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5));
}

/** A span as it lies on the day on which it starts: an end at or before the start is on the next day. */
export function stretch(span: readonly [string, string]): { start: number; end: number } {
  const start = minutesOf(span[0]);
  const end = minutesOf(span[1]);
  return { start, end: end <= start ? end + 1440 : end };
}
