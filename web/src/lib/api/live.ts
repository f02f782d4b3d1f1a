/** Who wants to know, and the one stream that tells: a browser opens only a few connections to one server. */
const listeners = new Set<() => void>();
let source: EventSource | undefined;
let soon: ReturnType<typeof setTimeout> | undefined;
let clock: ReturnType<typeof setInterval> | undefined;
/** Whether something may have been missed. */
let lost = false;

function tell() {
  // Under steady changes the first still counts: a screen is never later than this.
  soon ??= setTimeout(() => {
    soon = undefined;
    for (const changed of listeners) changed();
  }, 80);
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
  clock = setInterval(tell, 30_000);
  source = new EventSource('/api/changes');
  source.addEventListener('change', tell);
  source.addEventListener('error', () => (lost = true));
  source.addEventListener('open', () => {
    if (lost) tell();
    lost = false;
  });
}
document.addEventListener('visibilitychange', keep);

/** Calls `changed` when something changed on the server, when changes may have been missed, and every half a minute. */
export function listen(changed: () => void): () => void {
  listeners.add(changed);
  keep();
  return () => {
    listeners.delete(changed);
    keep();
  };
}
