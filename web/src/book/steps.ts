import { api } from '$lib/api/client';
import type { Shape } from '$lib/api/client';

type Step = Shape<'CountStepRequest'>['step'];
const told = new Set<string>();

/** Counts that somebody came so far on a page, once for each time that it is opened. Nothing is said of who it is. */
export function reached(slug: string, step: Step): void {
  const query = new URLSearchParams(location.search);
  // The desk looks at the page too, and tries it, and is nobody who came.
  if (told.has(step) || query.has('look') || query.has('trial')) return;
  told.add(step);
  api.POST('/api/pages/{slug}/steps', { params: { path: { slug } }, body: { step } }).catch(() => undefined);
}
