import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { api } from '$lib/api/client';
import { watch } from './watch';

vi.mock('$lib/api/client', async (original) => ({
  ...(await original<object>()),
  api: { GET: vi.fn() },
  data: (answer: Promise<unknown>) => answer,
}));
const get = vi.mocked(api.GET as (...args: unknown[]) => Promise<unknown>);
const wanted = { staff: 0, length: 0, places: 1, moving: '' };
const begin = (gone: () => void) => watch('home-tuning', '2026-11-26T10:00:00Z', wanted, gone);
/** Lets what has been answered have its effect. */
const settle = () => vi.advanceTimersByTimeAsync(0);

beforeEach(() => {
  vi.useFakeTimers();
  get.mockReset();
});
afterEach(() => vi.useRealTimers());

it('goes on asking as long as the server has waited, and tells once when the start has gone', async () => {
  const gone = vi.fn();
  get
    .mockResolvedValueOnce({ offered: true, waited: true })
    .mockResolvedValueOnce({ offered: true, waited: true })
    .mockResolvedValueOnce({ offered: false, waited: true });
  begin(gone);
  await settle();
  expect(get).toHaveBeenCalledTimes(3);
  expect(gone).toHaveBeenCalledTimes(1);
  await vi.advanceTimersByTimeAsync(60_000);
  expect(get).toHaveBeenCalledTimes(3);
});

it.each([
  ['had no room to wait', () => Promise.resolve({ offered: true, waited: false })],
  ['could not be reached', () => Promise.reject(new Error('no connection'))],
])('rests before it asks a server again that %s, and never takes that for gone', async (_, answer) => {
  const gone = vi.fn();
  get.mockImplementation(answer);
  const end = begin(gone);
  await settle();
  expect(get).toHaveBeenCalledTimes(1);
  await vi.advanceTimersByTimeAsync(7_900);
  expect(get).toHaveBeenCalledTimes(1);
  await vi.advanceTimersByTimeAsync(200);
  expect(get).toHaveBeenCalledTimes(2);
  end();
  await vi.advanceTimersByTimeAsync(60_000);
  expect(get).toHaveBeenCalledTimes(2);
  expect(gone).not.toHaveBeenCalled();
});

it('what comes after its end is nobody’s news', async () => {
  const gone = vi.fn();
  let answer: (said: unknown) => void = () => undefined;
  get.mockImplementation(() => new Promise((done) => (answer = done)));
  const end = begin(gone);
  end();
  answer({ offered: false, waited: true });
  await settle();
  expect(gone).not.toHaveBeenCalled();
});
