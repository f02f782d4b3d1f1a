import type { Shape } from '$lib/api/client';
import type { Part } from './geometry';

/** Where a copy of a booking stands, as its arch shows it. */
export type CopyState = Shape<'WallVisit'>['copy'];

/** Time taken by a personal event. */
export type Bricks = Part & {
  title: string;
  label?: string;
  /** What it is called, where its owner shows that. */
  named?: string;
  /** What else is to be said of it. */
  lines?: string[];
  /** It is a visit that another desk has made. */
  foreign?: boolean;
  /** It is no event: what the calendar holds then is not known. */
  unread?: boolean;
};

/** A booking with the time that it occupies, buffers included. */
export type Solid = Part & {
  key: string;
  occupied: Part;
  /** What it occupies, in words. */
  around: string;
  title: string;
  /** The title where there is no room for it. */
  short: string;
  sub: string;
  label: string;
  hue: number;
  pending: boolean;
  copy: CopyState;
  /** What the client has answered, in words, or empty. */
  answer?: string;
  /** Whether nobody has said that they do not come. */
  comes?: boolean;
  /** The busy time that came on top of it, in a sentence, or empty. */
  clash: string;
};

/** A start on the sill. */
export type Tick = { at: number; offered: boolean; title: string };

/** What stands in a lane, layer by layer. Everything but the open time can be left out. */
export type Layers = {
  open: Part[];
  bricks?: Bricks[];
  solids?: Solid[];
  sill?: Tick[];
  now?: number;
  veil?: Part;
  end?: number;
};

/** The arch's words, for people who cannot see it. */
export const copyWords: Record<CopyState, string> = {
  none: 'written to no calendar',
  waiting: 'copy waiting to be written',
  written: 'copy written, not read back yet',
  'read back': 'copy read back',
  doubted: 'copy in doubt: whether it stands outside is not known',
  adrift: 'copy changed outside',
  failed: 'copy not written',
};

/** All that is to be said of a booking, from what it is to what may be wrong with it. */
export function linesOf(s: Solid): string[] {
  const around = s.around === s.label ? [] : [`with buffers ${s.around}`];
  return [
    `${s.label}, ${s.sub}`,
    ...around,
    s.pending ? 'waits for you' : '',
    copyWords[s.copy],
    s.answer ? `the client is ${s.answer}` : '',
    s.clash,
  ].filter(Boolean);
}
