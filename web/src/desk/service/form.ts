import { plainDate } from '$lib/hours/dates';
import { readLength, writeLength } from '$lib/ui/typed';
import type { Shape } from '$lib/api/client';

/** A service as it is being edited. */
export type Fields = Shape<'ServiceFields'>;

/** What is wrong with a field, also with one of a list. */
export type Fault = (field: string) => string;

export const fresh: Fields = {
  name: '',
  slug: '',
  place: '',
  venue: 'ours',
  room: '',

  hue: 0,
  length: 60,
  lengths: [],
  step: 30,
  anchor: 'clock',
  bufferBefore: 0,
  bufferAfter: 0,
  buffersInsideHours: false,
  notice: { minutes: 240 },
  window: { days: 60 },
  capPerDay: undefined,
  places: 1,
  needs: [],
  staffing: 'any',
  pick: 'order',
  paused: false,
  unreachable: 'ask',
  staff: [],
  weights: [],
  after: { thanks: '', bring: '', leadTo: '', tells: [] },
  look: { accent: '', scheme: '', intro: '', book: '' },
  proveMail: false,
  cancelDeclined: false,
  prepaid: 0,
  refundUntil: 0,
  sites: [],
  moveUntil: 0,
  cancelUntil: 0,
  moveTimes: 0,
  approveWithin: 0,
  phone: 'no',
  questions: [],
  messages: { reminders: [], byText: [], followUp: 0, noInvite: false, texts: [] },
};

/** What the fields are called where two versions stand side by side. */
export const labels: Record<keyof Fields, string> = {
  name: 'Name',
  slug: 'Address of its page',
  place: 'Place',
  venue: 'Where',
  room: 'Room that is told',
  hue: 'Colour',
  length: 'Length',
  lengths: 'Further lengths',
  step: 'Step',
  anchor: 'Steps begin at',
  bufferBefore: 'Buffer before',
  bufferAfter: 'Buffer after',
  buffersInsideHours: 'Buffers inside hours',
  notice: 'Notice',
  window: 'Booking window',
  capPerDay: 'Cap a day',
  places: 'Places',
  needs: 'Needs',
  staffing: 'Who takes part',
  pick: 'Who is picked',
  paused: 'Paused',
  unreachable: 'When a calendar cannot be read',
  staff: 'Performed by',
  weights: 'Shares',
  after: 'Thanks',
  look: 'Look of the page',
  proveMail: 'Mail address proved',
  cancelDeclined: 'Not coming cancels',
  prepaid: 'Price',
  refundUntil: 'Money back until',
  sites: 'Sites that may show it',
  moveUntil: 'Moved until',
  cancelUntil: 'Cancelled until',
  moveTimes: 'Moved how often',
  approveWithin: 'Approved within',
  phone: 'Telephone',
  questions: 'Questions',
  messages: 'Messages',
};

/** Takes the fields of a service out of what the server says of it. */
export function formOf(service: Shape<'Service'>): Fields {
  const keys = Object.keys(fresh) as (keyof Fields)[];
  const usual = structuredClone(fresh);
  const fields = Object.fromEntries(keys.map((key) => [key, service[key] ?? usual[key]])) as Fields;
  // What the server leaves out of these is as usual, so that nothing seems changed that was only opened.
  return {
    ...fields,
    after: { ...usual.after, ...service.after },
    look: { ...usual.look, ...service.look },
    messages: { ...usual.messages, ...service.messages },
  };
}

/** The kinds of notice, each with what it begins with when it is chosen. */
export const notices = {
  none: null,
  minutes: { minutes: 240 },
  day: { daysBefore: 1, by: '18:00' },
} satisfies Record<string, Fields['notice']>;

/** The kinds of booking window, each with what it begins with when it is chosen. */
export const windows = {
  days: { days: 60 },
  dates: { from: '', to: '' },
  none: null,
} satisfies Record<string, Fields['window']>;

export function noticeKind(n: Fields['notice']): keyof typeof notices {
  return !n ? 'none' : 'minutes' in n ? 'minutes' : 'day';
}

export function windowKind(w: Fields['window']): keyof typeof windows {
  return !w ? 'none' : 'days' in w ? 'days' : 'dates';
}

/** Until when a visit can be booked, in words. */
export function noticeWords(n: Fields['notice']): string {
  if (!n) return 'until it starts';
  if ('minutes' in n)
    return n.minutes ? `until ${writeLength(n.minutes)} before it starts` : 'until it starts';
  const days =
    n.daysBefore === 0 ? 'on the day' : n.daysBefore === 1 ? 'the day before' : `${n.daysBefore} days before`;
  return `until ${n.by} ${days}`;
}

/** How far ahead it can be booked, in words. */
export function windowWords(w: Fields['window']): string {
  if (w && 'days' in w) return w.days === 1 ? '1 day ahead' : `${w.days} days ahead`;
  const ends = [w?.from && `from ${plainDate(w.from)}`, w?.to && `to ${plainDate(w.to)}`];
  return ends.filter(Boolean).join(' ') || 'up to a year ahead';
}

/** Reads further lengths as they are typed: 45, 60. */
export function readLengths(text: string): number[] {
  return text
    .split(/[,;]/)
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => readLength(part) ?? NaN);
}

/** How many hues there are. */
export const hueNames = ['Petrol', 'Plum', 'Indigo', 'Olive', 'Rust', 'Slate', 'Berry', 'Pine'];

/** The hue that is used least, the first of several. */
export function rarest(used: number[]): number {
  const counts = hueNames.map((_, hue) => used.filter((u) => u === hue).length);
  return counts.indexOf(Math.min(...counts));
}

/** A number as people write it: 1 226. */
export function number(n: number): string {
  return n.toLocaleString('en-GB').replaceAll(',', ' ');
}

/** Questions in words, all of them, so that two versions can be told apart. */
export function questionWords(list: Fields['questions']): string {
  const one = (q: Shape<'Question'>) =>
    [
      q.kind,
      q.required ? 'needed' : '',
      (q.options ?? []).join(' / '),
      q.least === undefined && q.most === undefined ? '' : `${q.least ?? '…'} to ${q.most ?? '…'}`,
      q.help ? `“${q.help}”` : '',
      q.after ? `after ${q.after}: ${q.said ?? ''}` : '',
    ].filter(Boolean);
  return (list ?? []).map((q) => `${q.label} (${q.key}; ${one(q).join('; ')})`).join(', ') || 'none';
}

/** Messages in words, all of them. */
export function messageWords(m: Fields['messages']): string {
  const parts = [
    (m?.reminders ?? []).length ? `reminders ${(m?.reminders ?? []).map(writeLength).join(', ')} before` : '',
    (m?.byText ?? []).length ? `texts ${(m?.byText ?? []).map(writeLength).join(', ')} before` : '',
    m?.followUp ? `a word ${writeLength(m.followUp)} afterwards` : '',
    m?.noInvite ? 'no invitation' : '',
    ...(m?.texts ?? []).map((t) => `${t.kind}: “${t.subject}” ${t.body}`),
  ];
  return parts.filter(Boolean).join('; ') || 'as usual';
}

/** What is said and done afterwards, in words. */
export function afterWords(a: Fields['after']): string {
  const parts = [
    a?.thanks ? `“${a.thanks}”` : '',
    a?.bring ? `bring: “${a.bring}”` : '',
    a?.leadTo ? `on to ${a.leadTo}${a.tells?.length ? ` with ${a.tells.join(', ')}` : ''}` : '',
  ];
  return parts.filter(Boolean).join('; ') || 'as usual';
}

/** How the page looks, in words. */
export function lookWords(l: Fields['look']): string {
  const parts = [
    l?.accent ?? '',
    l?.scheme ? `always ${l.scheme}` : '',
    l?.intro ? `“${l.intro}”` : '',
    l?.book ? `button “${l.book}”` : '',
  ];
  return parts.filter(Boolean).join('; ') || 'as usual';
}
