import type { Shape } from '$lib/api/client';

type Lane = Shape<'WallLane'>;

/** A piece of somebody's day, in its order. */
export interface Piece {
  kind: 'open' | 'visit' | 'busy';
  at: string;
  from: number;
  title: string;
  text: string;
  clash: string;
  drifts: Shape<'Drift'>[];
}

const begins = (label: string) => label.split('–')[0] ?? '';
const ends = (label: string) => label.split('–')[1] ?? '';

/** A day as a list: visits, busy time, and what is still open between them. */
export function piecesOf(lane: Lane, clock: (at: number) => string): Piece[] {
  const span = (s: { start: string; end: string }) => [Date.parse(s.start), Date.parse(s.end)] as const;
  const visits = lane.visits.map((v): Piece => {
    const copy = v.copy === 'adrift' || v.copy === 'failed' ? v.copyNote : '';
    return {
      kind: 'visit',
      at: begins(v.label),
      from: Date.parse(v.start),
      title: v.client,
      text: [
        v.service,
        `until ${ends(v.label)}`,
        v.status === 'pending' ? 'only asked for' : '',
        ...v.clients.map((c) =>
          c.answer && v.clients.length === 1 ? `the client answered: ${c.answer}` : '',
        ),
        v.extra,
      ]
        .filter(Boolean)
        .join(' · '),
      clash: v.clash || (v.drifts.length ? '' : copy),
      drifts: v.drifts,
    };
  });
  const busy = lane.busy.map((b): Piece => ({
    kind: 'busy',
    at: begins(b.label),
    from: Date.parse(b.start),
    title: b.unread
      ? 'Not known'
      : b.title
        ? `${b.title}, until ${ends(b.label)}`
        : `Busy, from ${b.calendar}, until ${ends(b.label)}`,
    text: [b.title ? `from ${b.calendar}` : '', b.note].filter(Boolean).join(' · '),
    clash: '',
    drifts: [],
  }));
  // What is taken, in order, cut out of what is open.
  const taken = [...lane.visits.map((v) => span(v.occupied)), ...lane.busy.map(span)].toSorted(
    (a, b) => a[0] - b[0],
  );
  const open: Piece[] = [];
  for (const [from, to] of lane.open.map(span)) {
    let at = from;
    for (const [start, end] of [...taken, [to, to] as const]) {
      if (start >= from && Math.min(start, to) > at) {
        const until = Math.min(start, to);
        open.push({
          kind: 'open',
          at: clock(at),
          from: at,
          title: `open until ${clock(until)}`,
          text: '',
          clash: '',
          drifts: [],
        });
      }
      at = Math.max(at, end);
      if (at >= to) break;
    }
  }
  return [...visits, ...busy, ...open].toSorted((a, b) => a.from - b.from);
}
