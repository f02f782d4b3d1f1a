import type { Shape } from '$lib/api/client';

/** How long a step took, as 12 ms or 0.4 s. */
export const took = (millis: number): string =>
  millis < 100 ? `${millis} ms` : `${(millis / 1000).toFixed(1)} s`;

/** Whether a proof has come to its end. */
export const ended = (p: Shape<'ShownProof'>): boolean => !['waiting', 'running'].includes(p.state);

/** What is to be said of a proof as a whole, in a sentence or two. */
export function sentence(p: Shape<'ShownProof'>): string {
  const done = p.steps.filter((s) => s.state === 'held').length;
  const all = p.steps.filter((s) => s.state !== 'passed over').length;
  const time = took(p.steps.reduce((sum, s) => sum + s.millis, 0));
  switch (p.state) {
    case 'waiting':
      return 'It waits for its turn: at one host, links are proved one after the other.';
    case 'running':
      return `${done} of ${all} steps held so far.`;
    case 'held':
      return `All ${done} steps held in ${time}.`;
    case 'stopped':
      return `It was ${p.words}. ${done} of ${all} steps held before.`;
    default:
      return `${done} of ${all} steps held in ${time}.`;
  }
}

/** The steps that are worth a look without being asked for: what failed, and what has more to show than words. */
export function worth(p: Shape<'ShownProof'>): string[] {
  const failed = p.steps.filter((s) => s.state === 'failed').map((s) => s.key);
  const evident = p.steps
    .filter((s) => s.state !== 'failed' && (s.lane || s.copies?.length))
    .map((s) => s.key);
  const list = [...failed, ...evident];
  if (list.length) return list;
  return p.steps.filter((s) => s.state === 'held').map((s) => s.key);
}
