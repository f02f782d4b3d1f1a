import { addDays, weekdayOf } from '$lib/hours/dates';

/** Of day, month and year in a date in figures. */
export type Order = 'dmy' | 'mdy' | 'ymd';

const months = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const weekdays = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];

/** Whether a text is a date that there is, as 2026-02-28. */
export function isDate(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
  const at = Date.parse(`${text}T12:00:00Z`);
  return !Number.isNaN(at) && new Date(at).toISOString().slice(0, 10) === text;
}

function dateOf(year: number, month: number, day: number): string | undefined {
  const full = year < 100 ? 2000 + year : year;
  const text = [
    String(full).padStart(4, '0'),
    String(month).padStart(2, '0'),
    String(day).padStart(2, '0'),
  ].join('-');
  return isDate(text) ? text : undefined;
}

/** A day and month without a year is the next one, or one of the last two months. */
function near(month: number, day: number, today: string): string | undefined {
  const year = Number(today.slice(0, 4));
  for (const y of [year - 1, year, year + 1, year + 2, year + 3, year + 4]) {
    const date = dateOf(y, month, day);
    if (date && date >= addDays(today, -60)) return date;
  }
  return undefined;
}

/**
 * Reads a date as people type it: 26 nov, nov 26 2027, 26/11, 26.11.27, 2026-11-26, today, tomorrow, friday, in 3 days. Figures stand
 * in the business's order.
 */
export function readDate(text: string, today: string, order: Order = 'dmy'): string | undefined {
  const said = text
    .toLowerCase()
    .replace(/(\d)(st|nd|rd|th)\b/g, '$1')
    .replace(/[,.]+(\s|$)/g, ' ')
    .trim();
  if (said === 'today') return today;
  if (said === 'tomorrow') return addDays(today, 1);
  if (said === 'yesterday') return addDays(today, -1);
  const later = /^in (\d{1,3}) (day|week)s?$/.exec(said);
  if (later) return addDays(today, Number(later[1]) * (later[2] === 'week' ? 7 : 1));
  const words = said.split(/\s+/);
  const weekday = weekdays.indexOf(words[0]?.slice(0, 3) ?? '');
  const named =
    weekday >= 0 && /^(mon|tues?|wed(nes)?|thu(rs)?|fri|sat(ur)?|sun)(day)?$/.test(words[0] ?? '');
  if (named && words.length === 1) {
    const ahead = (weekday - weekdayOf(today) + 7) % 7;
    return addDays(today, ahead || 7);
  }
  const rest = named ? words.slice(1) : words;
  const month = rest.findIndex((w) => /^[a-z]{3,9}$/.test(w) && months.includes(w.slice(0, 3)));
  if (month >= 0) {
    const numbers = rest.filter((_, i) => i !== month);
    if (!numbers.every((n) => /^\d{1,4}$/.test(n)) || numbers.length < 1 || numbers.length > 2)
      return undefined;
    const m = months.indexOf((rest[month] ?? '').slice(0, 3)) + 1;
    const [a, b] = numbers.map(Number);
    if (a === undefined) return undefined;
    if (b === undefined) return near(m, a, today);
    return a > 31 ? dateOf(a, m, b) : dateOf(b, m, a);
  }
  const figures = rest.join(' ').split(/[/.\-\s]+/);
  if (!figures.every((f) => /^\d{1,4}$/.test(f))) return undefined;
  const [a, b, c] = figures.map(Number);
  if (a === undefined || b === undefined || figures.length > 3) return undefined;
  if (c === undefined) return order === 'dmy' ? near(b, a, today) : near(a, b, today);
  if (figures[0]?.length === 4 || (order === 'ymd' && figures[2]?.length !== 4)) return dateOf(a, b, c);
  return order === 'mdy' ? dateOf(c, a, b) : dateOf(c, b, a);
}

/** A date as it stands in a field: Thu 26 Nov 2026. */
export function writeDate(date: string): string {
  if (!isDate(date)) return date;
  const [y, m, d] = date.split('-').map(Number);
  const name = (list: string[], i: number) => {
    const word = list[i] ?? '';
    return word.charAt(0).toUpperCase() + word.slice(1);
  };
  return `${name(weekdays, weekdayOf(date))} ${d ?? ''} ${name(months, (m ?? 1) - 1)} ${y ?? ''}`;
}

const units: [RegExp, number][] = [
  [/^(min(ute)?s?|m)$/, 1],
  [/^(hours?|hrs?|h)$/, 60],
  [/^(days?|d)$/, 1440],
  [/^(weeks?|w)$/, 10_080],
];

/** Reads a length of time as people type it, in minutes: 90, 90 min, 1 h 30, 1:30, 1.5 h, 3 days. */
export function readLength(text: string): number | undefined {
  const said = text.toLowerCase().replace(',', '.').trim();
  const clock = /^(\d{1,3}):([0-5]\d)$/.exec(said);
  if (clock) return Number(clock[1]) * 60 + Number(clock[2]);
  if (/^\d{1,6}$/.test(said)) return Number(said);
  const parts = said.match(/\d+(\.\d+)?|[a-z]+/g) ?? [];
  if (parts.length === 0 || said.replace(/[\d.\sa-z]/g, '') !== '') return undefined;
  let total = 0;
  let last = Infinity;
  for (let i = 0; i < parts.length; i += 2) {
    const amount = Number(parts[i]);
    // After hours, a bare number is minutes: 1 h 30.
    const unit = parts[i + 1] ?? (last === 60 ? 'min' : '');
    const size = units.find(([word]) => word.test(unit))?.[1];
    if (Number.isNaN(amount) || size === undefined || size >= last) return undefined;
    total += amount * size;
    last = size;
  }
  return Number.isInteger(total) ? total : undefined;
}

/** A length of time as people say it: 90 min, 1 h 30, 4 h, 3 days. */
export function writeLength(minutes: number): string {
  if (!Number.isFinite(minutes)) return '…'; // while it is being typed
  if (minutes < 1440 || minutes % 1440 !== 0) return writeWork(minutes);
  const days = minutes / 1440;
  return days === 1 ? '1 day' : `${days} days`;
}

/** How long somebody works, of which a day has no 24 hours: 75 min, 38 h 30, 48 h. */
export function writeWork(minutes: number): string {
  if (minutes < 120 && minutes !== 60) return `${minutes} min`;
  const [h, m] = [Math.floor(minutes / 60), minutes % 60];
  return m === 0 ? `${h} h` : `${h} h ${String(m).padStart(2, '0')}`;
}
