import { api, data, type Shape } from '$lib/api/client';
import { reasonWords } from '$lib/lane/reasons';

/** A start to which a booking could move, or why it could not. */
export type Place = { staff: number; at: number; label: string; why: string };

/**
 * A booking that is taken up on the wall, by pointer, finger or keys, and let go at another start or person. What it may become is asked once
 * when it is taken up.
 */
export class Drag {
  visit = $state.raw<Shape<'WallVisit'>>();
  /** Whose it is. */
  staff = $state(0);
  places = $state.raw<Place[]>([]);
  over = $state.raw<Place>();
  #turn = 0;

  /** How long the visit is, in milliseconds. */
  get length(): number {
    return this.visit ? Date.parse(this.visit.end) - Date.parse(this.visit.start) : 0;
  }

  /** Takes a visit up. One that several share cannot move as one. */
  async take(visit: Shape<'WallVisit'>, staff: number, date: string, clock: '24' | '12'): Promise<void> {
    const booking = visit.clients[0];
    if (!booking || visit.clients.length > 1 || visit.status !== 'confirmed') return;
    const turn = ++this.#turn;
    [this.visit, this.staff, this.places, this.over] = [visit, staff, [], undefined];
    const got = await data(
      api.GET('/api/bookings/{id}/places', {
        params: { path: { id: booking.id }, query: { date, clock } },
      }),
    ).catch(() => undefined);
    if (turn !== this.#turn || !this.visit) return;
    this.places = (got?.items ?? []).flatMap((l) =>
      l.starts.map((s) => ({
        staff: l.staff,
        at: Date.parse(s.at),
        label: s.label,
        why: reasonWords(s.reasons),
      })),
    );
    this.over ??= this.at(staff, Date.parse(visit.start));
  }

  /** Holds it over a moment of somebody: the nearest of their starts. */
  hold(staff: number, moment: number): void {
    this.over = this.at(staff, moment);
  }

  at(staff: number, moment: number): Place | undefined {
    return this.places
      .filter((p) => p.staff === staff)
      .reduce<Place | undefined>(
        (best, p) => (!best || Math.abs(p.at - moment) < Math.abs(best.at - moment) ? p : best),
        undefined,
      );
  }

  /** Steps to the next start, or the one before. */
  step(by: 1 | -1): void {
    const own = this.places.filter((p) => p.staff === (this.over?.staff ?? this.staff));
    const i = own.findIndex((p) => p.at === this.over?.at);
    this.over = own[Math.min(Math.max(i + by, 0), own.length - 1)] ?? this.over;
  }

  /** Steps to somebody else who performs the service, in the order of the lanes. */
  climb(by: 1 | -1, order: number[]): void {
    const able = order.filter((s) => this.places.some((p) => p.staff === s));
    const i = able.indexOf(this.over?.staff ?? this.staff);
    const next = able[Math.min(Math.max(i + by, 0), able.length - 1)];
    if (next && this.over) this.hold(next, this.over.at);
  }

  /** Lets it go, and tells where; nothing where it has not moved. */
  drop(): { visit: Shape<'WallVisit'>; to: Place } | undefined {
    const [visit, to] = [this.visit, this.over];
    this.cancel();
    if (!visit || !to || (to.staff === this.staff && to.at === Date.parse(visit.start))) return undefined;
    return { visit, to };
  }

  cancel(): void {
    this.#turn++;
    [this.visit, this.over, this.places] = [undefined, undefined, []];
  }
}
