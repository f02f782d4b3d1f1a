/** How a client wants times shown. */
export type Clock = '12' | '24';

const key = 'niche-clock';

/** What this browser keeps under a key. In the frame of another site, or by its settings, it may keep nothing. */
function stored(key: string): string | null {
  try {
    return localStorage.getItem(key);
  } catch {
    return null;
  }
}
function store(key: string, value: string | undefined): void {
  try {
    if (value === undefined) localStorage.removeItem(key);
    else localStorage.setItem(key, value);
  } catch {
    // Then nothing is remembered.
  }
}

export function presentClock(): Clock {
  const kept = stored(key);
  if (kept === '12' || kept === '24') return kept;
  return new Intl.DateTimeFormat(undefined, { hour: 'numeric' }).resolvedOptions().hour12 ? '12' : '24';
}

export function keepClock(clock: Clock): void {
  store(key, clock);
}

/** Parts of a day to which a client can narrow the starts, by the minute of the day. */
export const dayParts = [
  { key: 'any', label: 'any time', from: 0, to: 1440 },
  { key: 'mornings', label: 'mornings', from: 0, to: 720 },
  { key: 'afternoons', label: 'afternoons', from: 720, to: 1020 },
  { key: 'evenings', label: 'after 17:00', from: 1020, to: 1440 },
] as const;

const detailsKey = 'niche.details';

/** What a client has typed and wants to be remembered on this device. */
export type Details = { name: string; email: string; phone: string; address: string };

/** The details that this device remembers, if any. */
export function remembered(): Details | undefined {
  try {
    const kept = JSON.parse(stored(detailsKey) ?? 'null') as Partial<Details> | null;
    if (!kept) return undefined;
    return {
      name: kept.name ?? '',
      email: kept.email ?? '',
      phone: kept.phone ?? '',
      address: kept.address ?? '',
    };
  } catch {
    return undefined;
  }
}

/** Keeps details on this device, or forgets them. */
export function remember(details: Details | undefined): void {
  store(detailsKey, details && JSON.stringify(details));
}

/** What the address says already: ?name=&mail=&phone=&answer.piano=. It is shown, and can be changed. */
export function prefilled() {
  const query = new URLSearchParams(location.search);
  const answers: Record<string, string[]> = {};
  for (const [key, value] of query)
    if (key.startsWith('answer.')) (answers[key.slice('answer.'.length)] ??= []).push(value.slice(0, 4000));
  const one = (key: string) => (query.get(key) ?? '').slice(0, 254);
  return {
    name: one('name').slice(0, 120),
    mail: one('mail'),
    phone: one('phone').slice(0, 40),
    address: (query.get('address') ?? '').slice(0, 500),
    start: one('start'),
    of: one('of'),
    /** Leave to try the service, of somebody at the desk. */
    trial: (query.get('trial') ?? '').slice(0, 600),
    with: Number(one('with')) || 0,
    from: /^\d{4}-\d{2}-\d{2}$/.test(one('from')) ? one('from') : '',
    answers,
  };
}

/** What is typed about a client before anything was: what the address says, or else what this device remembers. */
export function freshDetails() {
  const [given, kept] = [prefilled(), remembered()];
  return {
    name: given.name || (kept?.name ?? ''),
    email: given.mail || (kept?.email ?? ''),
    phone: given.phone || (kept?.phone ?? ''),
    address: given.address || (kept?.address ?? ''),
    /** By which the mail address is proved, where that is wanted. */
    code: '',
    /** Nobody sees this field. */
    website: '',
    said: given.answers,
    /** It is remembered on this device for the next time, if the client ticks it. */
    keep: !!kept,
  };
}

/** Where a page of several services leads on to: what the address knows goes along, and the way back. */
export function onward(page: string, of: string, start = ''): string {
  const query = new URLSearchParams(location.search);
  query.set('of', of);
  if (start) query.set('start', start);
  return `${page}?${query.toString()}`;
}
