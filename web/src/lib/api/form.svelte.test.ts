import { flushSync } from 'svelte';
import { describe, expect, it, vi } from 'vitest';
import { Problem } from './client';
import { Form } from './form.svelte';
import { Query } from './query.svelte';

type Now = { name: string; note: string; version: number };
type Body = Omit<Now, 'version'>;

/** A server of which every answer is given by hand. */
function desk() {
  const asked: { what: string; give: (now: Now) => void; refuse: (p: Problem) => void }[] = [];
  const wait = (what: string) => new Promise<Now>((give, refuse) => asked.push({ what, give, refuse }));
  const form = new Form<Body, Body, Now>(
    {
      read: (key) => wait(`read ${key}`),
      save: (key, body, over) => wait(`save ${key} over ${over}: ${body.name}, ${body.note}`),
      value: ({ name, note }) => ({ name, note }),
      body: (value) => value,
    },
    { name: '', note: '' },
  );
  return { asked, form };
}
const stale = (current: Now) => new Problem({ detail: 'Somebody else.', current }, 412);
const ada = { name: 'Ada', note: '', version: 1 };
const bryn = { name: 'Bryn', note: '', version: 7 };

describe('a question', () => {
  it('keeps turn: a late answer never takes the place of a newer one', async () => {
    const query = new Query<string>();
    let late: (v: string) => void = () => undefined;
    const first = query.ask(() => new Promise<string>((give) => (late = give)));
    await query.ask(() => Promise.resolve('new'));
    late('old');
    expect(await first).toBeUndefined();
    expect(query.value).toBe('new');
    await query.ask(() => Promise.reject(new Problem({ detail: 'No.' }, 500)));
    expect([query.value, query.problem?.message]).toEqual(['new', 'No.']);
  });
});

describe('something that is edited', () => {
  it('shows nothing of one as another, in whatever order the answers come', async () => {
    const { asked, form } = desk();
    const opened = [form.open(1), form.open(2)];
    asked[1]?.give(bryn);
    asked[0]?.give(ada);
    await Promise.all(opened);
    expect(form.value.name).toBe('Bryn');
    const again = form.open(1);
    expect([form.now, form.changed]).toEqual([undefined, false]);
    asked[2]?.give(ada);
    await again;
    form.value.name = 'Ada B';
    const saved = form.save();
    const other = form.open(2); // while it is being saved
    expect(asked[3]?.what).toBe('save 1 over 1: Ada B, ');
    asked[3]?.give({ ...ada, name: 'Ada B', version: 2 });
    asked[4]?.give(bryn);
    await Promise.all([saved, other]);
    expect([form.value.name, form.changed]).toEqual(['Bryn', false]);
  });

  it('keeps what is typed while it is saved, and what is typed while others save', async () => {
    const { asked, form } = desk();
    const opened = form.open(1);
    asked[0]?.give(ada);
    await opened;
    form.value.name = 'A';
    const saved = form.save();
    form.value.note = 'more';
    asked[1]?.give({ name: 'A', note: '', version: 2 });
    expect(await saved).toBe(true);
    expect([form.value.note, form.changed, form.now?.version]).toEqual(['more', true, 2]);
    await form.again();
    expect(asked).toHaveLength(2); // what is typed is not asked away
    form.discard();
    const again = form.again();
    form.value.note = 'typed meanwhile';
    asked[2]?.give({ name: 'Theirs', note: '', version: 3 });
    await again;
    expect(form.value).toEqual({ name: 'A', note: 'typed meanwhile' });
  });

  it('is opened by an effect once, and keeps what is typed while it is read again', async () => {
    const { asked, form } = desk();
    const end = $effect.root(() => {
      $effect(() => void form.open(1));
    });
    flushSync();
    asked[0]?.give(ada);
    await vi.waitFor(() => expect(form.value.name).toBe('Ada'));
    form.value.name = 'Ada B';
    flushSync();
    expect(asked).toHaveLength(1);
    end();
    const again = form.open(1); // as Discard does
    form.value.name = 'Ada C';
    asked[1]?.give({ ...ada, version: 2 });
    await again;
    expect([form.value.name, form.now?.version]).toEqual(['Ada C', 2]);
  });

  it('settles a conflict in three ways, again and again if need be', async () => {
    const { asked, form } = desk();
    const opened = form.open(1);
    asked[0]?.give(ada);
    await opened;
    form.value.name = 'Mine';
    const saved = form.save();
    asked[1]?.refuse(stale({ name: 'Theirs', note: 'n', version: 5 }));
    expect(await saved).toBe(false);
    expect([form.theirs?.name, form.value.name]).toEqual(['Theirs', 'Mine']);
    const over = form.settle();
    expect(asked[2]?.what).toBe('save 1 over 5: Mine, ');
    asked[2]?.refuse(stale({ name: 'Newer', note: 'n', version: 6 }));
    await over;
    const mixed = form.settle({ name: 'Mine', note: 'n' });
    expect(asked[3]?.what).toBe('save 1 over 6: Mine, n');
    asked[3]?.refuse(stale({ name: 'Newest', note: 'x', version: 8 }));
    await mixed;
    await form.settle('theirs');
    expect([form.value.name, form.changed, form.theirs]).toEqual(['Newest', false, undefined]);
  });
});
