import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import { api, Problem, type Shape } from '$lib/api/client';
import LinkCard from './LinkCard.svelte';
import Ways from '../../member/Ways.svelte';

// The server's side of the conversation is played here.
vi.mock('$lib/api/client', async (original) => ({
  ...(await original<typeof import('$lib/api/client')>()),
  api: { POST: vi.fn(), PUT: vi.fn() },
}));
const post = vi.mocked(api.POST as (...args: unknown[]) => Promise<unknown>);
const put = vi.mocked(api.PUT as (...args: unknown[]) => Promise<unknown>);

const calendar = (change: Partial<Shape<'Calendar'>>): Shape<'Calendar'> => ({
  id: 1,
  name: 'Family',
  colour: '#a4508b',
  canWrite: true,
  blocks: false,
  getsBookings: false,
  state: 'fresh',
  error: '',
  readAgo: 22,
  nextIn: 40,
  events: 12,
  ahead: 31,
  skipped: 0,
  unread: [],
  version: 1,
  resting: false,
  copies: 0,
  padBefore: 0,
  padAfter: 0,
  tentativeFree: false,
  allDayFree: false,
  titles: false,
  week: [],
  ...change,
});
const link = (...calendars: Shape<'Calendar'>[]): Shape<'Link'> => ({
  id: 4,
  kind: 'account',
  host: 'Cloudlet',
  at: 'calendar.example',
  username: 'bryn',
  createdAt: '2026-11-03T10:00:00Z',
  error: '',
  closing: false,
  left: 0,
  signsInAt: 0,
  byConsent: false,
  wishes: { drift: 'ask', alarm: 0, private: false, clients: 'named', pending: false, buffers: false },
  calendars,
});

describe('linking an account', () => {
  it('says what is wrong at its field, and keeps what was typed', async () => {
    post.mockRejectedValue(
      new Problem(
        { detail: 'No.', errors: [{ field: 'password', message: 'The host does not accept it.' }] },
        422,
      ),
    );
    const linked = vi.fn();
    render(Ways, { hosts: [], mail: '', send: post, onlinked: linked });
    await fireEvent.click(screen.getByRole('button', { name: /Use an app password/ }));
    await fireEvent.input(screen.getByLabelText('Host or CalDAV address'), {
      target: { value: 'calendar.example' },
    });
    await fireEvent.click(screen.getByRole('button', { name: 'Sign in and find my calendars' }));
    const key = screen.getByLabelText('App password');
    await waitFor(() => expect(key.getAttribute('aria-invalid')).toBe('true'));
    expect(document.getElementById(key.getAttribute('aria-describedby') ?? '')?.textContent).toBe(
      'The host does not accept it.',
    );
    expect(screen.getByLabelText<HTMLInputElement>('Host or CalDAV address').value).toBe('calendar.example');
    expect(linked).not.toHaveBeenCalled();
  });

  it('says when the server itself cannot be reached', async () => {
    post.mockRejectedValue(new Problem({ detail: 'Niche does not answer.' }, 0));
    render(Ways, { hosts: [], mail: '', send: post, onlinked: vi.fn() });
    await fireEvent.click(screen.getByRole('button', { name: /Use an app password/ }));
    await fireEvent.click(screen.getByRole('button', { name: 'Sign in and find my calendars' }));
    await waitFor(() => expect(screen.getByRole('alert').textContent).toContain('Niche does not answer.'));
  });
});

describe('the calendars of an account', () => {
  it('are chosen one by one, and shown as the server has them', async () => {
    put.mockResolvedValue({ data: calendar({ blocks: true }) });
    const changed = vi.fn();
    render(LinkCard, { link: link(calendar({})), onchanged: changed });
    expect(screen.getByText('Nothing chosen yet')).toBeTruthy();
    await fireEvent.click(screen.getByRole('switch', { name: 'Blocks time' }));
    await waitFor(() => expect(changed).toHaveBeenCalled());
    expect(put).toHaveBeenCalledWith('/api/calendars/{id}', {
      params: { path: { id: 1 }, query: { copies: undefined }, header: { 'If-Match': '"1"' } },
      body: {
        blocks: true,
        getsBookings: false,
        padBefore: 0,
        padAfter: 0,
        tentativeFree: false,
        allDayFree: false,
        titles: false,
      },
    });
    expect(screen.getByRole<HTMLInputElement>('switch', { name: 'Blocks time' }).checked).toBe(false);
  });

  it('are undone by one press', async () => {
    put.mockResolvedValueOnce({ data: calendar({ blocks: true, version: 2 }) });
    render(LinkCard, { link: link(calendar({})), onchanged: vi.fn() });
    await fireEvent.click(screen.getByRole('switch', { name: 'Blocks time' }));
    put.mockResolvedValueOnce({ data: calendar({ version: 3 }) });
    await fireEvent.click(await screen.findByRole('button', { name: 'undo the last choice, for Family' }));
    await waitFor(() =>
      expect(put.mock.lastCall?.[1]).toMatchObject({
        params: { header: { 'If-Match': '"2"' } },
        body: { blocks: false },
      }),
    );
  });

  it('keep both of two quick choices, one over the other', async () => {
    const answers: ((v: unknown) => void)[] = [];
    put.mockImplementation(() => new Promise((answer) => answers.push(answer)));
    render(LinkCard, { link: link(calendar({})), onchanged: vi.fn() });
    const before = put.mock.calls.length;
    await fireEvent.click(screen.getByRole('switch', { name: 'Blocks time' }));
    await fireEvent.click(screen.getByRole('switch', { name: 'Gets bookings' }));
    await waitFor(() => expect(answers.length).toBe(1));
    answers[0]?.({ data: calendar({ blocks: true, version: 2 }) });
    await waitFor(() => expect(answers.length).toBe(2));
    expect(put.mock.calls.slice(before).map((call) => call[1])).toMatchObject([
      { params: { header: { 'If-Match': '"1"' } }, body: { blocks: true, getsBookings: false } },
      { params: { header: { 'If-Match': '"2"' } }, body: { blocks: true, getsBookings: true } },
    ]);
    answers[1]?.({ data: calendar({ blocks: true, getsBookings: true, version: 3 }) });
    put.mockReset();
  });

  it('ask what becomes of copies before no more are written', async () => {
    put.mockRejectedValueOnce(new Problem({ detail: 'Say.', copies: 3 }, 409));
    render(LinkCard, { link: link(calendar({ getsBookings: true, copies: 3 })), onchanged: vi.fn() });
    await fireEvent.click(screen.getByRole('switch', { name: 'Gets bookings' }));
    await waitFor(() => expect(screen.getByText(/3 copies of visits ahead lie in Family/)).toBeTruthy());
    put.mockResolvedValue({ data: calendar({ version: 2 }) });
    await fireEvent.click(screen.getByRole('button', { name: 'Remove them' }));
    await waitFor(() => expect(screen.queryByText(/3 copies/)).toBeNull());
    expect(put.mock.lastCall?.[1]).toMatchObject({
      params: { query: { copies: 'remove' }, header: { 'If-Match': '"1"' } },
      body: { getsBookings: false },
    });
  });

  it('cannot get bookings when they can only be read', () => {
    render(LinkCard, {
      link: link(calendar({ canWrite: false, blocks: true, skipped: 2 })),
      onchanged: vi.fn(),
    });
    expect(screen.getByRole<HTMLInputElement>('switch', { name: 'Read-only' }).disabled).toBe(true);
    expect(screen.getByText(/can only be read · 12 events · 31 times blocked ahead/)).toBeTruthy();
  });

  it.each([
    [{ blocks: true, readAgo: 22 }, 'read 22 s ago'],
    [{ blocks: true, readAgo: 600 }, 'read 10 min ago'],
    [{ blocks: true, readAgo: 7200 }, 'read 2 h ago'],
    [{ blocks: true, readAgo: -1 }, 'being read…'],
    [{}, 'not in use'],
  ])('%j says %s', (change, words) => {
    render(LinkCard, { link: link(calendar(change)), onchanged: vi.fn() });
    expect(screen.getByText(words)).toBeTruthy();
  });

  it('say what their choices do, and what could not be read', async () => {
    put.mockResolvedValue({ data: calendar({ blocks: true }) });
    const odd = [{ date: '2026-11-24', reason: 'its time zone is not known' }];
    const changed = vi.fn();
    render(LinkCard, {
      link: link(calendar({ blocks: true, padBefore: 15, allDayFree: true, skipped: 1, unread: odd })),
      onchanged: changed,
    });
    await fireEvent.click(screen.getByRole('button', { name: 'How events of Family count' }));
    expect(
      screen.getByText(/take their time and 15 min before, except all-day ones. What is marked/),
    ).toBeTruthy();
    expect(screen.getByText('2026-11-24: its time zone is not known')).toBeTruthy();
    await fireEvent.change(screen.getByLabelText('Kept free after each event'), { target: { value: '30' } });
    await waitFor(() => expect(changed).toHaveBeenCalled());
    expect(put.mock.lastCall?.[1]).toMatchObject({ body: { padBefore: 15, padAfter: 30, allDayFree: true } });
  });

  it('say what went wrong, and what still holds', () => {
    const broken = calendar({
      blocks: true,
      state: 'gone',
      error: 'The host does not know this calendar any more.',
    });
    render(LinkCard, { link: link(broken), onchanged: vi.fn() });
    expect(
      screen.getByText(/does not know this calendar any more. What was read last still blocks time./),
    ).toBeTruthy();
  });
});
