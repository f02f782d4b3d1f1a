import type { Shape } from '$lib/api/client';
import { lengthOf } from '$lib/hours/wallclock';

/** A service as it is being edited. */
export type Form = Shape<'ServiceFields'>;

/** What is wrong with a field, also with one of a list. */
export type Fault = (field: string) => string;

export const fresh: Form = {
  name: '',
  slug: '',
  place: '',
  hue: 0,
  length: 60,
  lengths: [],
  step: 30,
  anchor: 'clock',
  bufferBefore: 0,
  bufferAfter: 0,
  buffersInsideHours: false,
  noticeKind: 'minutes',
  notice: 240,
  noticeDays: 1,
  noticeBy: '18:00',
  windowKind: 'days',
  windowDays: 60,
  windowFrom: '',
  windowTo: '',
  capPerDay: undefined,
  places: 1,
  needs: [],
  staffing: 'any',
  pick: 'order',
  paused: false,
  unreachable: 'ask',
  staff: [],
};

/** Takes the fields of a service out of what the server says of it. */
export function formOf(service: Shape<'Service'>): Form {
  const keys = Object.keys(fresh) as (keyof Form)[];
  return Object.fromEntries(keys.map((key) => [key, service[key]])) as Form;
}

/** Until when a visit can be booked, in words. */
export function noticeWords(f: Form): string {
  if (f.noticeKind === 'day') {
    const days =
      f.noticeDays === 0
        ? 'on the day'
        : f.noticeDays === 1
          ? 'the day before'
          : `${f.noticeDays} days before`;
    return `until ${f.noticeBy} ${days}`;
  }
  if (f.noticeKind === 'none' || !f.notice) return 'until it starts';
  const long =
    f.notice % 1440 === 0 ? (f.notice === 1440 ? '1 day' : `${f.notice / 1440} days`) : lengthOf(f.notice);
  return `until ${long} before it starts`;
}

/** How far ahead it can be booked, in words. */
export function windowWords(f: Form): string {
  if (f.windowKind === 'days') return f.windowDays === 1 ? '1 day ahead' : `${f.windowDays} days ahead`;
  if (f.windowKind === 'none' || (!f.windowFrom && !f.windowTo)) return 'as far ahead as anybody likes';
  return [f.windowFrom && `from ${f.windowFrom}`, f.windowTo && `to ${f.windowTo}`].filter(Boolean).join(' ');
}

/** Reads further lengths as they are typed: 45, 60. */
export function readLengths(text: string): number[] {
  return text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number)
    .filter(Number.isFinite);
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
