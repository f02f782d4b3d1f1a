import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { listen } from './live';

class Stream extends EventTarget {
  static all: Stream[] = [];
  open = true;
  constructor() {
    super();
    Stream.all.push(this);
  }
  close() {
    this.open = false;
  }
}
const open = () => Stream.all.filter((s) => s.open);
function see(hidden: boolean) {
  vi.spyOn(document, 'hidden', 'get').mockReturnValue(hidden);
  document.dispatchEvent(new Event('visibilitychange'));
}
beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('EventSource', Stream);
});
afterEach(() => vi.useRealTimers());

it('one stream tells everybody on the page, and rests while nobody sees it', () => {
  const [a, b] = [vi.fn(), vi.fn()];
  const ends = [listen(a), listen(b)];
  expect(open()).toHaveLength(1);
  for (let n = 0; n < 5; n++) open()[0]?.dispatchEvent(new MessageEvent('change', { data: 'bookings' }));
  vi.advanceTimersByTime(100);
  expect([a, b].map((f) => f.mock.calls.length)).toEqual([1, 1]);
  vi.advanceTimersByTime(30_000);
  expect(a).toHaveBeenCalledTimes(2);
  see(true);
  expect(open()).toHaveLength(0);
  vi.advanceTimersByTime(120_000);
  expect(a).toHaveBeenCalledTimes(2);
  see(false);
  expect(open()).toHaveLength(1);
  open()[0]?.dispatchEvent(new Event('open'));
  vi.advanceTimersByTime(100);
  expect(a, 'what was missed is asked for').toHaveBeenCalledTimes(3);
  ends.forEach((end) => end());
  expect(open()).toHaveLength(0);
});

it('who wants to know of something is told of that, and not more often than anybody can see', () => {
  const [bookings, rules, never] = [vi.fn(), vi.fn(), vi.fn()];
  const ends = [listen(bookings, ['bookings']), listen(rules, ['rules', 'time']), listen(never, [])];
  const say = (data: string) => open()[0]?.dispatchEvent(new MessageEvent('change', { data }));
  vi.advanceTimersByTime(2000);
  say('bookings');
  vi.advanceTimersByTime(100);
  say('bookings');
  say('calendars');
  vi.advanceTimersByTime(100);
  expect([bookings, rules].map((f) => f.mock.calls.length)).toEqual([1, 0]);
  vi.advanceTimersByTime(800);
  expect([bookings, rules].map((f) => f.mock.calls.length)).toEqual([2, 0]);
  vi.advanceTimersByTime(30_000);
  expect([bookings, rules, never].map((f) => f.mock.calls.length)).toEqual([2, 1, 0]);
  ends.forEach((end) => end());
});
