import type { Shape } from '$lib/api/client';

/** What each reason says in a few words, as the server has it. */
const words = new Map<string, string>();

/** Takes the words over, once it is known who is signed in. */
export function keepReasons(reasons: Shape<'Reason'>[]): void {
  for (const r of reasons) words.set(r.code, r.words);
}

export function reasonWords(codes: string[]): string {
  return codes.map((c) => words.get(c) ?? c).join(', ');
}
