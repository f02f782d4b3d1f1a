import type { Shape } from '$lib/api/client';
import { plainDate, shortDate } from '$lib/hours/dates';
import { dayKeys, dayNames } from '$lib/hours/week';

/** A part of what is edited, as two versions of it are laid side by side. */
export interface Part<Body> {
  label: string;
  /** What it is in one of the versions. */
  text: (body: Body) => string;
  /** Takes it over from one version into another. */
  copy: (from: Body, to: Body) => void;
}

/** The parts that differ between two versions. */
export function differing<Body>(parts: Part<Body>[], mine: Body, theirs: Body): Part<Body>[] {
  return parts.filter((p) => p.text(mine) !== p.text(theirs));
}

/** A value in words. */
function words(value: unknown): string {
  if (value === true) return 'yes';
  if (value === false) return 'no';
  if (value === undefined || value === null || value === '') return 'none';
  if (Array.isArray(value)) return value.length ? value.join(', ') : 'none';
  return typeof value === 'string' || typeof value === 'number' ? String(value) : JSON.stringify(value);
}

/** The fields of a form, by their labels; a few are said in words of their own. */
export function fields<Body extends object>(
  labels: Partial<Record<keyof Body & string, string>>,
  said: { [K in keyof Body]?: (value: Body[K]) => string } = {},
): Part<Body>[] {
  return (Object.keys(labels) as (keyof Body & string)[]).map((key) => ({
    label: labels[key] ?? key,
    text: (body) => (said[key] ? said[key](body[key]) : words(body[key])),
    copy: (from, to) => (to[key] = from[key]),
  }));
}

const spanned = (list: string[][]) => list.map((s) => s.join('–')).join(', ');

/** A day's hours, as 09:00–17:00 but 12:30–13:00. */
export function dayWords(day: Shape<'Day'> | undefined): string {
  if (!day?.spans.length) return 'closed';
  return spanned(day.spans) + (day.breaks?.length ? ` without ${spanned(day.breaks)}` : '');
}

type Hours = Shape<'Hours'>;

/** When a pattern counts. */
function since(p: Shape<'Pattern'> | undefined): string {
  if (!p) return 'there is none';
  const from = p.from ? `from ${plainDate(p.from)}` : 'no start yet';
  return p.until ? `${from} until ${plainDate(p.until)}` : from;
}

/** Weekly hours, day by day where both have the same patterns, else pattern by pattern. */
export function partsOfHours(mine: Hours, theirs: Hours): Part<Hours>[] {
  const count = Math.max(mine.patterns.length, theirs.patterns.length);
  return Array.from({ length: count }, (_, i) => i).flatMap((i) => {
    const [a, b] = [mine.patterns[i], theirs.patterns[i]];
    const named = count > 1 ? `Pattern ${i + 1}` : 'In force';
    if (!a || !b || a.cycle.length !== b.cycle.length) {
      const all = (p: Shape<'Pattern'> | undefined) =>
        p
          ? `${since(p)}: ${p.cycle.map((w) => dayKeys.map((k) => `${dayNames[k].slice(0, 3)} ${dayWords(w[k])}`).join(', ')).join('; then ')}`
          : since(p);
      return [
        {
          label: named,
          text: (h) => all(h.patterns[i]),
          copy: (from, to) => {
            const taken = from.patterns[i];
            if (taken) to.patterns[i] = taken;
            else to.patterns.length = Math.min(to.patterns.length, i);
          },
        },
      ];
    }
    const dates: Part<Hours> = {
      label: named,
      text: (h) => since(h.patterns[i]),
      copy: (from, to) => {
        const [f, t] = [from.patterns[i], to.patterns[i]];
        if (f && t) [t.from, t.until] = [f.from, f.until];
      },
    };
    const days = a.cycle.flatMap((_, w) =>
      dayKeys.map((key): Part<Hours> => {
        const week = a.cycle.length > 1 ? `, week ${w + 1}` : '';
        const of = (h: Hours) => h.patterns[i]?.cycle[w]?.[key];
        return {
          label: `${dayNames[key]}${week}${count > 1 ? ` (pattern ${i + 1})` : ''}`,
          text: (h) => dayWords(of(h)),
          copy: (from, to) => {
            const [taken, into] = [of(from), to.patterns[i]?.cycle[w]];
            if (into) into[key] = taken ?? { spans: [], breaks: [] };
          },
        };
      }),
    );
    return [dates, ...days];
  });
}

type Days = Pick<Shape<'Days'>, 'absences' | 'oneOffs'>;

/** One-off days and absences, one by one. */
export function partsOfDays(mine: Days, theirs: Days): Part<Days>[] {
  const dates = [...new Set([...mine.oneOffs, ...theirs.oneOffs].map((o) => o.date))].sort();
  const same = (a: Shape<'Absence'>) => JSON.stringify([a.from, a.until, a.note]);
  const absences = new Map([...mine.absences, ...theirs.absences].map((a) => [same(a), a]));
  return [
    ...[...absences].map(([key, a]): Part<Days> => ({
      label: `Away ${shortDate(a.from)}${a.until === a.from ? '' : ` – ${shortDate(a.until)}`}`,
      text: (d) => (d.absences.some((x) => same(x) === key) ? a.note || 'yes' : 'not away'),
      copy: (from, to) => {
        to.absences = to.absences.filter((x) => same(x) !== key);
        if (from.absences.some((x) => same(x) === key)) to.absences.push(a);
      },
    })),
    ...dates.map((date): Part<Days> => {
      const of = (d: Days) => d.oneOffs.find((o) => o.date === date);
      return {
        label: shortDate(date),
        text: (d) => {
          const day = of(d);
          return day
            ? `${day.spans.length ? spanned(day.spans) : 'away'} ${day.note}`.trim()
            : 'as every week';
        },
        copy: (from, to) => {
          const day = of(from);
          to.oneOffs = [...to.oneOffs.filter((o) => o.date !== date), ...(day ? [day] : [])];
        },
      };
    }),
  ];
}

type Closures = Pick<Shape<'Closures'>, 'items'>;

/** Closures, date by date. */
export function partsOfClosures(mine: Closures, theirs: Closures): Part<Closures>[] {
  const dates = [...new Set([...mine.items, ...theirs.items].map((c) => c.date))].sort();
  return dates.map((date) => {
    const of = (c: Closures) => c.items.find((x) => x.date === date);
    return {
      label: shortDate(date),
      text: (c) => {
        const day = of(c);
        return day ? day.name || 'closed' : 'open';
      },
      copy: (from, to) => {
        const day = of(from);
        to.items = [...to.items.filter((x) => x.date !== date), ...(day ? [day] : [])];
      },
    };
  });
}
