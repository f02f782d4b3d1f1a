/** The columns that can be chosen, beside the client and the visit. */
export const columns = [
  ['service', 'service and person'],
  ['copy', 'copy outside'],
  ['reference', 'reference'],
  ['phone', 'telephone'],
  ['made', 'when it was made'],
  ['from', 'where it came from'],
  ['note', 'note'],
] as const;
export type Column = (typeof columns)[number][0];

const key = 'niche.bookings.columns';
const usual: Column[] = ['service', 'copy', 'made'];

/** The columns that this browser shows. */
export function shownColumns(): Column[] {
  const kept = localStorage.getItem(key);
  if (kept === null) return usual;
  return columns.map(([c]) => c).filter((c) => kept.split(',').includes(c));
}

export function keepColumns(list: Column[]): void {
  localStorage.setItem(key, list.join(','));
}
