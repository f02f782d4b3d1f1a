/** How this browser wants times: by 24 hours or by 12, and by whose clock on the wall. */
type Choice = { kind: '24' | '12'; zones: 'business' | 'person' };

const keys = { kind: 'niche.clock', zones: 'niche.zones' } as const;

export const clock = $state<Choice>({
  kind: localStorage.getItem(keys.kind) === '12' ? '12' : '24',
  zones: localStorage.getItem(keys.zones) === 'person' ? 'person' : 'business',
});

/** Takes the business's clock, unless this browser has chosen its own. */
export function followBusiness(kind: string | undefined): void {
  if (localStorage.getItem(keys.kind) === null) clock.kind = kind === '12' ? '12' : '24';
}

export function choose<K extends keyof Choice>(key: K, value: Choice[K]): void {
  clock[key] = value;
  localStorage.setItem(keys[key], value);
}
