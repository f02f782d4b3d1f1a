import { api, data, type Shape } from '$lib/api/client';

/** What a start is wanted for. */
type Wanted = { staff: number; length: number; places: number; moving: string };

/** How long it is waited before a server that could not wait, or could not be reached, is asked again, in milliseconds. */
const pause = 8_000;

/** Calls `gone` once a start is not offered any more, as soon as the server knows, until it is ended. */
export function watch(slug: string, start: string, wanted: Wanted, gone: () => void): () => void {
  const ended = new AbortController();
  const wait = () =>
    new Promise<void>((done) => {
      const timer = setTimeout(done, pause);
      ended.signal.addEventListener('abort', () => {
        clearTimeout(timer);
        done();
      });
    });
  const ask = async (): Promise<Shape<'Watched'>> => {
    try {
      const params = { path: { slug }, query: { ...wanted, start } };
      return await data(api.GET('/api/pages/{slug}/watch', { params, signal: ended.signal }));
    } catch {
      return { offered: true, waited: false };
    }
  };
  void (async () => {
    while (!ended.signal.aborted) {
      const { offered, waited } = await ask();
      if (ended.signal.aborted) return;
      if (!offered) return gone();
      if (!waited) await wait();
    }
  })();
  return () => ended.abort();
}
