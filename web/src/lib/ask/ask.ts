import type { Shape } from '$lib/api/client';

/** Answers by the keys of their questions. */
export type Said = Record<string, string[]>;

/** The questions that are put: those that depend on nothing, and those whose question was put and answered as they want. */
export function put(asks: Shape<'Question'>[], said: Said): Shape<'Question'>[] {
  const out: Shape<'Question'>[] = [];
  for (const q of asks)
    if (!q.after || (out.some((o) => o.key === q.after) && said[q.after]?.includes(q.said ?? '')))
      out.push(q);
  return out;
}

/** The answers to questions that are put, without those that say nothing. */
export function answersOf(asks: Shape<'Question'>[], said: Said): Said {
  return Object.fromEntries(
    put(asks, said)
      .map((q) => [q.key, (said[q.key] ?? []).filter((v) => v.trim())] as const)
      .filter(([, values]) => values.length),
  );
}

/** What is wrong with answers, by the keys of their questions, out of what is wrong with a request. */
export function faultsOf(fields: Record<string, string>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(fields)
      .filter(([field]) => field.startsWith('answers.'))
      .map(([field, words]) => [field.slice('answers.'.length).replace(/\[.*$/, ''), words]),
  );
}

/** A key for a new question, made from its words, that no other has. */
export function keyOf(label: string, others: string[]): string {
  const plain = label.normalize('NFD').replace(/[\u0300-\u036f]/g, '');
  const words = plain
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean);
  const base = words.slice(0, 3).join('-').slice(0, 36) || 'question';
  for (let n = 1; ; n++) {
    const key = n === 1 ? base : `${base}-${n}`;
    if (!others.includes(key)) return key;
  }
}
