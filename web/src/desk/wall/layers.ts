import type { Shape } from '$lib/api/client';
import { between, initials, type Axis } from '$lib/lane/geometry';
import type { Layers, Solid } from '$lib/lane/lane';
import { reasonWords } from '$lib/lane/reasons';

/** The ends of a drawing that the server gives. */
export function axisOf(drawing: { from: string; to: string }): Axis {
  return { from: Date.parse(drawing.from), to: Date.parse(drawing.to) };
}

/** Turns a visit into what stands in a lane. */
export function solidOf(v: Shape<'WallVisit'>): Solid {
  return {
    ...between(v),
    key: String(v.id),
    occupied: between(v.occupied),
    around: v.occupied.label,
    title: v.client,
    short: v.clients[0]?.name === v.client ? initials(v.client) : v.client.replace(/ of (\d+).*/, '/$1'),
    sub: v.service,
    label: v.label,
    hue: v.hue,
    pending: v.status !== 'confirmed',
    copy: v.copy,
    clash: v.clash,
    answer: v.clients.length === 1 ? (v.clients[0]?.answer ?? '') : '',
    comes: v.clients.every((c) => c.comes),
  };
}

/** Turns one person's day into what a lane draws. */
export function layersOf(
  wall: { now: string; notice: string; last: string },
  lane: Shape<'WallLane'>,
): Layers {
  const now = Date.parse(wall.now);
  const notice = Date.parse(wall.notice);
  return {
    open: lane.open.map(between),
    bricks: lane.busy.map((b) => ({
      ...between(b),
      title: b.unread
        ? `${b.calendar} has not been read here`
        : b.foreign
          ? `${b.title}, ${b.label}: a visit of another desk`
          : [`Busy ${b.label}, ${b.calendar}`, b.title].filter(Boolean).join(': '),
      foreign: b.foreign,
      label: b.calendar,
      named: b.title,
      lines: [b.title ? b.calendar : '', b.note].filter(Boolean),
      unread: b.unread,
    })),
    solids: lane.visits.map(solidOf),
    sill: lane.starts.map((s) => ({
      at: Date.parse(s.at),
      offered: s.offered,
      title: s.offered ? `${s.label} is offered` : `${s.label}: ${reasonWords(s.reasons)}`,
    })),
    now,
    // The end of the booking window is the wall's end.
    end: lane.onSill && wall.last ? Date.parse(wall.last) : undefined,
    veil: lane.onSill && notice > now ? { start: now, end: notice } : undefined,
  };
}
