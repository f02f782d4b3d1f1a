import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { freshDetails, keepClock, onward, prefilled, presentClock, remember, remembered } from './settings';

const at = (query: string) => history.replaceState(null, '', `/book/home-tuning${query}`);
beforeEach(() => {
  localStorage.clear();
  at('');
});
afterEach(() => vi.unstubAllGlobals());

it('an address says what is known, as far as it can be used', () => {
  at(
    '?name=Ada%20Winter&mail=ada@clients.example&with=3&from=2026-12-01&answer.piano=Upright&answer.also=a&answer.also=b&colour=red',
  );
  expect(prefilled()).toMatchObject({
    name: 'Ada Winter',
    mail: 'ada@clients.example',
    with: 3,
    from: '2026-12-01',
    answers: { piano: ['Upright'], also: ['a', 'b'] },
  });
  at(`?name=${'x'.repeat(500)}&with=nobody&from=soon&answer.long=${'y'.repeat(9000)}`);
  const odd = prefilled();
  expect([odd.name.length, odd.with, odd.from, odd.answers.long?.[0]?.length]).toEqual([120, 0, '', 4000]);
});

it('details are remembered on this device if that is wanted, forgotten with one press, and an address goes before them', () => {
  expect(remembered()).toBeUndefined();
  const ada = { name: 'Ada', email: 'ada@clients.example', phone: '+353 1 555 0177', address: '12 Elm Row' };
  remember(ada);
  expect(remembered()).toEqual(ada);
  expect(freshDetails()).toMatchObject({ ...ada, keep: true });
  at('?name=Ben');
  expect(freshDetails()).toMatchObject({ name: 'Ben', email: ada.email });
  remember(undefined);
  expect(freshDetails()).toMatchObject({ name: 'Ben', email: '', keep: false });
});

it.each(['no JSON', '7', '"text"', '{"name":null}'])(
  'what somebody else has kept as %s is no harm',
  (kept) => {
    localStorage.setItem('niche.details', kept);
    expect(freshDetails()).toMatchObject({ name: '', email: '' });
  },
);

it('where nothing may be kept, nothing is, and all goes on', () => {
  const refuse = () => {
    throw new DOMException('refused', 'SecurityError');
  };
  vi.stubGlobal('localStorage', { getItem: refuse, setItem: refuse, removeItem: refuse });
  keepClock('12');
  remember({ name: 'Ada', email: '', phone: '', address: '' });
  expect(remembered()).toBeUndefined();
  expect(['12', '24']).toContain(presentClock());
});

it('the clock that was chosen stays', () => {
  keepClock('12');
  expect(presentClock()).toBe('12');
  localStorage.setItem('niche-clock', 'sundial');
  expect(['12', '24']).toContain(presentClock());
});

it('a page of several services hands on what its address knows, and the way back', () => {
  at('?name=Ada&site=https://workshop.example');
  const to = new URL(onward('/book/care-class', 'all-we-do', '2026-11-26T10:00:00Z'), 'https://x.example');
  expect(Object.fromEntries(to.searchParams)).toEqual({
    name: 'Ada',
    site: 'https://workshop.example',
    of: 'all-we-do',
    start: '2026-11-26T10:00:00Z',
  });
});
