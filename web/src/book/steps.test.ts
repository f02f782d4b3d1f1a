import { beforeEach, expect, it, vi } from 'vitest';
import { api } from '$lib/api/client';

vi.mock('$lib/api/client', async (original) => ({
  ...(await original<object>()),
  api: { POST: vi.fn() },
}));
const post = vi.mocked(api.POST as (...args: unknown[]) => Promise<unknown>);
/** The page is opened anew, at an address. */
async function open(query: string) {
  history.replaceState(null, '', `/book/home-tuning${query}`);
  vi.resetModules();
  return (await import('./steps')).reached;
}
beforeEach(() => {
  post.mockReset();
  post.mockResolvedValue({});
});

it('each step is counted once for each time that the page is opened, and nothing is said of who it is', async () => {
  let reached = await open('?name=Ada&mail=ada@clients.example');
  for (const step of ['opened', 'chosen', 'opened', 'details', 'chosen', 'booked'] as const)
    reached('home-tuning', step);
  expect(post.mock.calls.map(([, said]) => (said as { body: unknown }).body)).toEqual(
    ['opened', 'chosen', 'details', 'booked'].map((step) => ({ step })),
  );
  expect(JSON.stringify(post.mock.calls)).not.toMatch(/ada/i);
  reached = await open('');
  reached('home-tuning', 'opened');
  expect(post).toHaveBeenCalledTimes(5);
});

it.each(['?look', '?look=1&name=Ada', '?trial=x.y'])('the desk, at %s, is nobody who came', async (query) => {
  const reached = await open(query);
  reached('home-tuning', 'opened');
  reached('home-tuning', 'booked');
  expect(post).not.toHaveBeenCalled();
});

it('what cannot be counted is no trouble of the client’s', async () => {
  const reached = await open('');
  post.mockRejectedValue(new Error('no connection'));
  reached('home-tuning', 'opened');
  await Promise.resolve();
  expect(post).toHaveBeenCalledTimes(1);
});
