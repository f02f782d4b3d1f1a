import { afterEach, expect, test, vi } from 'vitest';
import { api, type Shape } from '$lib/api/client';
import { keepReasons } from '$lib/lane/reasons';
import { Drag } from './drag.svelte';

const at = (clock: string) => Date.parse(`2026-11-27T${clock}:00Z`);
const start = (clock: string, ...reasons: string[]) => ({
  at: `2026-11-27T${clock}:00Z`,
  label: clock,
  reasons,
});
const visit = (clients = 1) =>
  ({
    id: 5,
    start: '2026-11-27T10:00:00Z',
    end: '2026-11-27T11:30:00Z',
    client: 'Rosa Osei',
    status: 'confirmed',
    clients: Array.from({ length: clients }, (_, i) => ({ id: 50 + i })),
  }) as unknown as Shape<'WallVisit'>;

/** Answers what it may become. */
function answers(items: unknown): void {
  vi.spyOn(api, 'GET').mockResolvedValue({ data: { items, next: 0 } } as never);
}
afterEach(() => vi.restoreAllMocks());

async function taken(): Promise<Drag> {
  keepReasons([{ code: 'booked', words: 'a booking is in the way' } as Shape<'Reason'>]);
  answers([
    { staff: 1, starts: [start('10:00'), start('10:30'), start('11:00', 'booked')] },
    { staff: 2, starts: [start('09:00'), start('10:30')] },
  ]);
  const drag = new Drag();
  await drag.take(visit(), 1, '2026-11-27', '24');
  return drag;
}

test('a booking is taken up where it stands, and let go there it has not moved', async () => {
  const drag = await taken();
  expect(drag.length).toBe(90 * 60_000);
  expect(drag.over).toMatchObject({ staff: 1, label: '10:00', why: '' });
  expect(drag.drop()).toBeUndefined();
  expect(drag.visit).toBeUndefined();
});

test('it is held over the nearest start of a lane, with why it may not stand there', async () => {
  const drag = await taken();
  drag.hold(1, at('10:52'));
  expect(drag.over).toMatchObject({ label: '11:00', why: 'a booking is in the way' });
  drag.hold(2, at('09:40'));
  expect(drag.over?.label).toBe('09:00');
  drag.hold(3, at('09:40')); // somebody who does not perform it
  expect(drag.over).toBeUndefined();
  drag.hold(2, at('12:00'));
  expect(drag.drop()).toMatchObject({ visit: { id: 5 }, to: { staff: 2, label: '10:30' } });
});

test('keys step along starts and lanes, and stop at the ends', async () => {
  const drag = await taken();
  drag.step(-1);
  expect(drag.over?.label).toBe('10:00');
  for (const label of ['10:30', '11:00', '11:00']) {
    drag.step(1);
    expect(drag.over?.label).toBe(label);
  }
  drag.climb(1, [1, 3, 2]); // whoever cannot take it is passed over
  expect(drag.over).toMatchObject({ staff: 2, label: '10:30' });
  drag.climb(1, [1, 3, 2]);
  expect(drag.over?.staff).toBe(2);
  drag.climb(-1, [1, 3, 2]);
  expect(drag.over).toMatchObject({ staff: 1, label: '10:30' });
});

test('what several share, and what is not confirmed, is not taken up', async () => {
  answers([]);
  const drag = new Drag();
  await drag.take(visit(2), 1, '2026-11-27', '24');
  expect(drag.visit).toBeUndefined();
  await drag.take({ ...visit(), status: 'pending' }, 1, '2026-11-27', '24');
  expect(drag.visit).toBeUndefined();
});

test('an answer that comes after it was let go changes nothing', async () => {
  let answer: (value: never) => void = () => undefined;
  vi.spyOn(api, 'GET').mockReturnValue(new Promise((done) => (answer = done)) as never);
  const drag = new Drag();
  const taking = drag.take(visit(), 1, '2026-11-27', '24');
  drag.cancel();
  answer({ data: { items: [{ staff: 1, starts: [start('10:00')] }], next: 0 } } as never);
  await taking;
  expect(drag.places).toEqual([]);
  expect(drag.over).toBeUndefined();
});
