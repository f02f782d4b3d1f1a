import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';

/** The shapes of the server, generated from its description. */
export type Shapes = components['schemas'];
export type Shape<K extends keyof Shapes> = Omit<Shapes[K], '$schema'>;

/** What the server says when it refuses: a sentence, and what is wrong with which field. */
export class Problem extends Error {
  readonly status: number;
  readonly fields: Record<string, string>;
  readonly nearest: Shape<'Start'>[];
  readonly reasons: string[];
  /** The first of the bookings that a change of rules would leave outside them, and how many there are. */
  readonly misfits: Shape<'Misfit'>[];
  readonly misfitCount: number;
  /** What somebody else has saved in the meantime. */
  readonly current: unknown;
  /** How many copies lie ahead, where it must be said what becomes of them. */
  readonly copies: number;
  /** Where a search by a mail address has led, of which it must be said whether it is right. */
  readonly host: string;
  /** Whether a one-time code is asked for beside the password. */
  readonly asksCode: boolean;

  constructor(body: Partial<Shape<'Problem'>>, status: number) {
    super(body.detail ?? 'Something went wrong on our side.');
    this.status = status;
    this.fields = Object.fromEntries((body.errors ?? []).map((e) => [e.field, e.message]));
    this.nearest = body.nearest ?? [];
    this.reasons = body.reasons ?? [];
    this.misfits = body.misfits ?? [];
    this.misfitCount = body.misfitCount ?? 0;
    this.current = body.current;
    this.copies = body.copies ?? 0;
    this.host = body.host ?? '';
    this.asksCode = body.asksCode ?? false;
  }
}

/** What is done when the server no longer knows who is signed in. */
export const lost = { tell: () => {} };

/** Where somebody who is not signed in is expected. */
const gate = /^\/api\/(session|setup|ways-in)/;

const problems: Middleware = {
  async onResponse({ request, response }) {
    if (response.ok) return;
    if (response.status === 401 && !gate.test(new URL(request.url).pathname)) lost.tell();
    const body = await response
      .clone()
      .json()
      .catch(() => ({}));
    throw new Problem(body, response.status);
  },
  onError() {
    return new Problem(
      { detail: 'Niche does not answer. Check the connection; what you typed is still here.' },
      0,
    );
  },
};

/** The one way to the server. Every call either gives data or throws a Problem. */
export const api = createClient<paths>({
  baseUrl: '/',
  querySerializer: { array: { style: 'form', explode: false } },
});
api.use(problems);

/** Returns the data of an answer. */
export async function data<T>(call: Promise<{ data?: T }>): Promise<T> {
  const answer = await call;
  return answer.data as T;
}

/** Returns all parts of a list that the server gives in parts, up to so many thousands that a screen can hold. */
export async function everything<T>(
  part: (query: { page: number; archived: boolean }) => Promise<{ data?: { items: T[]; next: number } }>,
  archived = false,
): Promise<T[]> {
  const all: T[] = [];
  for (let page = 1; page > 0 && page <= 30;) {
    const got = await data(part({ page, archived }));
    all.push(...got.items);
    page = got.next;
  }
  return all;
}

/** Turns whatever was thrown into a Problem. */
export function problemOf(cause: unknown): Problem {
  return cause instanceof Problem ? cause : new Problem({ detail: String(cause) }, 0);
}
