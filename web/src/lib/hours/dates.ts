/** A date as people write it; dates have no zone, so noon in UTC stands for one. */
function written(date: string, options: Intl.DateTimeFormatOptions): string {
  const noon = new Date(`${date}T12:00:00Z`);
  if (Number.isNaN(noon.getTime())) return date; // while it is being typed
  return noon.toLocaleDateString('en-GB', { ...options, timeZone: 'UTC' });
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

/** 17 Mar 2026, where there is little room. */
export function tightDate(date: string): string {
  return written(date, { day: 'numeric', month: 'short', year: 'numeric' });
}

/** The date some days later. */
export function addDays(date: string, days: number): string {
  return new Date(Date.parse(`${date}T12:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);
}

/** How many days lie between two dates. */
export function daysBetween(from: string, to: string): number {
  return Math.round((Date.parse(`${to}T12:00:00Z`) - Date.parse(`${from}T12:00:00Z`)) / 86_400_000);
}

/** The day of the week, 0 for Monday. */
export function weekdayOf(date: string): number {
  return (new Date(`${date}T12:00:00Z`).getUTCDay() + 6) % 7;
}

/** 17 March, or 17–20 March, for sentences about days that are near. */
export function rangeWords(from: string, until: string): string {
  const end = written(until, { day: 'numeric', month: 'long' });
  if (from === until) return end;
  const sameMonth = from.slice(0, 7) === until.slice(0, 7);
  return `${written(from, sameMonth ? { day: 'numeric' } : { day: 'numeric', month: 'long' })}–${end}`;
}

/** The date that clocks of a zone show at an instant. */
export function dateIn(zone: string, instant: string | number): string {
  return new Intl.DateTimeFormat('en-CA', { timeZone: zone }).format(new Date(instant));
}

/** The place in a zone's name. */
export function cityOf(zone: string): string {
  return zone.split('/').pop()?.replaceAll('_', ' ') ?? zone;
}

/** Nov, for a date in November. */
export function monthName(date: string): string {
  return written(date, { month: 'short' });
}
