/** What changes on the server; and time, which makes what is shown older. */
export type Subject = 'bookings' | 'calendars' | 'rules' | 'messages' | 'attention' | 'proofs' | 'time';

/** Who wants to know of what, and the one stream that tells: a browser opens only a few connections to one server. */
const listeners = new Map<() => void, readonly Subject[] | undefined>();
let source: EventSource | undefined;
let soon: ReturnType<typeof setTimeout> | undefined;
let clock: ReturnType<typeof setInterval> | undefined;
/** Whether something may have been missed. */
let lost = false;

/** What has changed since it was last told; anything may have, when it is empty. */
const changed = new Set<string>();
let anything = false;
let toldAt = -Infinity;
/** How long it is waited for more of the same, and how often at most it is told, in milliseconds. */
const [gathering, apart] = [80, 800];

function wait(): number {
  const since = Date.now() - toldAt;
  return since >= 0 && since < apart ? Math.max(gathering, apart - since) : gathering; // a clock that went back is no reason
}

function tell(subject?: string) {
  if (subject) changed.add(subject);
  else anything = true;
  // Under steady changes the first still counts: a screen is never later than this.
  soon ??= setTimeout(() => {
    soon = undefined;
    toldAt = Date.now();
    const [all, what] = [anything, new Set(changed)];
    anything = false;
    changed.clear();
    for (const [act, on] of listeners) if (all || !on || on.some((s) => what.has(s))) act();
  }, wait());
}

/** Keeps the stream open as long as somebody listens and the page can be seen. */
function keep() {
  if (listeners.size === 0 || document.hidden) {
    lost = listeners.size > 0;
    clearInterval(clock);
    source?.close();
    source = undefined;
    return;
  }
  if (source) return;
  // What is shown ages also when nothing happens: now-lines move, and calendars were read longer ago.
  clock = setInterval(() => tell('time'), 30_000);
  source = new EventSource('/api/changes');
  source.addEventListener('change', (e) => tell((e as MessageEvent<string>).data || undefined));
  source.addEventListener('error', () => (lost = true));
  source.addEventListener('open', () => {
    if (lost) tell();
    lost = false;
  });
}
document.addEventListener('visibilitychange', keep);

/**
 * Calls `act` when something changed on the server, when changes may have been missed, and every half a minute; or only when one of
 * the subjects did, and when it may have been missed.
 */
export function listen(act: () => void, on?: readonly Subject[]): () => void {
  listeners.set(act, on);
  keep();
  return () => {
    listeners.delete(act);
    keep();
  };
}
