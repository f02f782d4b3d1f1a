/** A date as people write it; dates have no zone, so noon in UTC stands for one. */
function written(date: string, options: Intl.DateTimeFormatOptions): string {
  return new Date(`${date}T12:00:00Z`).toLocaleDateString('en-GB', { ...options, timeZone: 'UTC' });
}

/** Tuesday, 17 March 2026. */
export function longDate(date: string): string {
  return written(date, { weekday: 'long', day: 'numeric', month: 'long', year: 'numeric' });
}

/** Tue, 17 Mar 2026. */
export function shortDate(date: string): string {
  return written(date, { weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' });
}

/** 17 March 2026. */
export function plainDate(date: string): string {
  return written(date, { day: 'numeric', month: 'long', year: 'numeric' });
}
