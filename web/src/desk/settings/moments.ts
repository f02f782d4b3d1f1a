import { clock } from '../clock.svelte';

/** An instant as this browser's clock shows it: Fri 27 Nov, 14:30. */
export function moment(instant: string): string {
  const at = new Date(instant);
  const day = at
    .toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', month: 'short' })
    .replace(',', '');
  const time = at.toLocaleTimeString('en-GB', {
    hour: clock.kind === '12' ? 'numeric' : '2-digit',
    minute: '2-digit',
    hour12: clock.kind === '12',
  });
  return `${day}, ${time}`;
}
