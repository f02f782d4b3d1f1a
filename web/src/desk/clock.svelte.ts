/** Whether times are written by 24 hours or by 12: this browser's choice. */
const key = 'niche.clock';

export const clock = $state<{ kind: '24' | '12' }>({
  kind: localStorage.getItem(key) === '12' ? '12' : '24',
});

export function turnClock(): void {
  clock.kind = clock.kind === '24' ? '12' : '24';
  localStorage.setItem(key, clock.kind);
}
