/** Light, dark, or as the system says. */
export type Scheme = 'auto' | 'light' | 'dark';

const key = 'niche-scheme';

export function presentScheme(): Scheme {
  const kept = localStorage.getItem(key);
  return kept === 'light' || kept === 'dark' ? kept : 'auto';
}

export function applyScheme(scheme: Scheme): void {
  if (scheme === 'auto') {
    localStorage.removeItem(key);
    delete document.documentElement.dataset.scheme;
  } else {
    localStorage.setItem(key, scheme);
    document.documentElement.dataset.scheme = scheme;
  }
}
