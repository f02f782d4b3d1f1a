/** Calls `changed` when something changed on the server, and again after a lost connection came back. */
export function listen(changed: () => void): () => void {
  const source = new EventSource('/api/changes');
  let soon: ReturnType<typeof setTimeout> | undefined;
  let lost = false;
  const tell = () => {
    clearTimeout(soon);
    soon = setTimeout(changed, 80);
  };
  source.addEventListener('change', tell);
  source.addEventListener('error', () => (lost = true));
  source.addEventListener('open', () => {
    if (lost) tell();
    lost = false;
  });
  return () => {
    clearTimeout(soon);
    source.close();
  };
}
