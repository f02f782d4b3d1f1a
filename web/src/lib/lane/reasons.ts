/** What each reason says in a few words; the codes are the server's. */
const words: Record<string, string> = {
  past: 'over already',
  notice: 'too short notice',
  window: 'beyond the booking window',
  'outside-hours': 'does not fit into the hours',
  busy: 'a personal event is in the way',
  booked: 'a booking is in the way',
  places: 'no place left',
  cap: 'the cap for the day is reached',
  resource: 'no room or equipment is free',
  'not-performed': 'nobody performs it any more',
};

export function reasonWords(codes: string[]): string {
  return codes.map((c) => words[c] ?? c).join(', ');
}
