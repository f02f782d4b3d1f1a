import { afterEach, expect, it, vi } from 'vitest';

/** The page is opened in a frame of a site, or by itself. */
async function open(query: string, framed: boolean) {
  history.replaceState(null, '', `/book/home-tuning${query}`);
  delete document.documentElement.dataset.framed;
  const heard = vi.fn();
  if (framed) vi.spyOn(window, 'parent', 'get').mockReturnValue({ postMessage: heard } as unknown as Window);
  vi.resetModules();
  return { heard, ...(await import('./site')) };
}
let grows: (() => void) | undefined;
class Observer {
  constructor(told: () => void) {
    grows = told;
  }
  observe() {}
}
vi.stubGlobal('ResizeObserver', Observer);
afterEach(() => {
  vi.restoreAllMocks();
  grows = undefined;
});

it('the site around the page is told what happens, and nobody else', async () => {
  const { heard, tellSite, growInSite } = await open('?site=https://workshop.example', true);
  expect(growInSite()).toBe(true);
  expect(document.documentElement.dataset.framed).toBe('');
  tellSite('chosen', { start: '2026-11-26T10:00:00Z' });
  grows?.();
  expect(heard.mock.calls).toEqual([
    [{ niche: 'chosen', detail: { start: '2026-11-26T10:00:00Z' } }, 'https://workshop.example'],
    [{ niche: 'height', height: 0 }, 'https://workshop.example'],
  ]);
});

it.each([
  ['by itself', '?site=https://workshop.example', false],
  ['in a frame that says no site', '', true],
  ['in a frame that says more than an origin', '?site=https://workshop.example/page', true],
  ['in a frame that says no address', '?site=workshop', true],
  ['in a frame that says everybody', '?site=*', true],
])('%s, it tells nobody anything', async (_, query, framed) => {
  const { heard, tellSite, growInSite } = await open(query, framed);
  expect(growInSite()).toBe(false);
  tellSite('booked', { reference: 'ABC-2345' });
  expect(heard).not.toHaveBeenCalled();
  expect(grows).toBeUndefined();
});
