import { describe, expect, it } from 'vitest';
import { piecesOf } from './day';

const at = (time: string) => `2026-11-26T${time}:00Z`;
const stretch = (start: string, end: string) => ({
  start: at(start),
  end: at(end),
  label: `${start}–${end}`,
});
const clock = (ms: number) => new Date(ms).toISOString().slice(11, 16);
const visit = (start: string, end: string, from: string, to: string, more = {}) => ({
  ...stretch(start, end),
  occupied: stretch(from, to),
  service: 'Home tuning',
  client: 'Sunniva Berg',
  copy: 'read back',
  copyNote: '',
  clash: '',
  status: 'confirmed',
  extra: '',
  drifts: [],
  clients: [],
  ...more,
});
const busy = (start: string, end: string, more = {}) => ({
  ...stretch(start, end),
  calendar: 'Family',
  note: '',
  unread: false,
  ...more,
});
const lane = (open: object[], visits: object[] = [], busy: object[] = []) =>
  ({ open, visits, busy }) as unknown as Parameters<typeof piecesOf>[0];
const said = (l: Parameters<typeof piecesOf>[0]) => piecesOf(l, clock).map((p) => `${p.at} ${p.title}`);

describe('an own day', () => {
  it.each([
    ['nothing', lane([]), []],
    [
      'hours alone',
      lane([stretch('09:00', '12:30'), stretch('13:00', '17:00')]),
      ['09:00 open until 12:30', '13:00 open until 17:00'],
    ],
    [
      'a visit with its buffers',
      lane([stretch('09:00', '12:00')], [visit('09:30', '11:00', '09:10', '11:20')]),
      ['09:00 open until 09:10', '09:30 Sunniva Berg', '11:20 open until 12:00'],
    ],
    [
      'busy time on a visit and over the end of the hours',
      lane(
        [stretch('09:00', '15:00')],
        [visit('13:30', '15:00', '13:30', '15:00')],
        [busy('14:30', '15:30'), busy('08:00', '09:30')],
      ),
      [
        '08:00 Busy, from Family, until 09:30',
        '09:30 open until 13:30',
        '13:30 Sunniva Berg',
        '14:30 Busy, from Family, until 15:30',
      ],
    ],
    [
      'what is not known',
      lane([stretch('09:00', '12:00')], [], [busy('09:00', '12:00', { unread: true })]),
      ['09:00 Not known'],
    ],
  ])('%s', (_, l, want) => expect(said(l)).toEqual(want));

  it('tells what is wrong with a visit', () => {
    const [clash, failed] = piecesOf(
      lane(
        [],
        [
          visit('09:00', '10:00', '09:00', '10:00', { clash: 'Your event lies on it.' }),
          visit('11:00', '12:00', '11:00', '12:00', { copy: 'failed', copyNote: 'No room is left.' }),
        ],
      ),
      clock,
    );
    expect([clash?.clash, failed?.clash]).toEqual(['Your event lies on it.', 'No room is left.']);
  });
});
