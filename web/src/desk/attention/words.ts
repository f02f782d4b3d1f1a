import type { Shape } from '$lib/api/client';

const small = ['none', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
const count = (n: number) => small[n] ?? String(n);
const need = (n: number) => (n === 1 ? 'needs' : 'need');

/** What there is to look at, and what holds all the same, in a sentence or two. */
export function sentence({ items, holds }: Pick<Shape<'Attention'>, 'items' | 'holds'>): string {
  const soon = items.filter((i) => i.soon).length;
  const rest = items.length - soon;
  if (items.length === 0) return holds;
  const parts = [
    soon ? `${count(soon)} ${need(soon)} you by the end of tomorrow` : '',
    rest ? `${count(rest)} can wait` : '',
  ].filter(Boolean);
  const text = parts.join(', ');
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}. ${holds}`;
}
