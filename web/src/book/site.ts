/** The site that shows this page in a frame, by its origin; empty where none does. */
function origin(): string {
  if (window.parent === window) return '';
  const told = new URLSearchParams(location.search).get('site') ?? '';
  try {
    // Whether this site may show the page at all, the server has said to the browser.
    return new URL(told).origin === told ? told : '';
  } catch {
    return '';
  }
}
const site = origin();

/** Tells the site around this page what happens here; nothing where there is none. */
export function tellSite(what: 'opened' | 'chosen' | 'booked', detail: Record<string, string> = {}): void {
  if (site) window.parent.postMessage({ niche: what, detail }, site);
}

/** Keeps the frame as high as what it holds, and tells whether there is one. */
export function growInSite(): boolean {
  if (!site) return false;
  document.documentElement.dataset.framed = '';
  const tell = () => window.parent.postMessage({ niche: 'height', height: document.body.scrollHeight }, site);
  new ResizeObserver(tell).observe(document.body);
  return true;
}
