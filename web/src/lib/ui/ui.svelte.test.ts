import { keepReasons } from '$lib/lane/reasons';
import { fireEvent, render, screen } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import { Problem, problemOf } from '$lib/api/client';
import SpanFields from '$lib/hours/SpanFields.svelte';
import type { Draft } from '$lib/hours/week';
import Misfits from './Misfits.svelte';
import NumberField from './NumberField.svelte';
import ZonePicker from './ZonePicker.svelte';

describe('fields', () => {
  it('keep a number while it is being cleared, unless it may be left out', async () => {
    const { rerender } = render(NumberField, { label: 'Places', value: 4 });
    const field = screen.getByLabelText<HTMLInputElement>('Places');
    await fireEvent.input(field, { target: { value: '' } });
    await fireEvent.input(field, { target: { value: '12' } });
    expect(field.value).toBe('12');
    await rerender({ label: 'Places', value: undefined, optional: true, error: 'Too many.' });
    expect(field.value).toBe('');
    expect(screen.getByRole('alert').textContent).toBe('Too many.');
  });

  it('offer the zone that is set even when the browser does not know it', () => {
    render(ZonePicker, { value: 'Atlantis/Deep_Sea', 'aria-label': 'Zone' });
    expect(screen.getByLabelText<HTMLSelectElement>('Zone').selectedOptions[0]?.textContent?.trim()).toBe(
      'Atlantis/Deep Sea',
    );
  });

  it('tidy times when they are left, and name what is wrong with which span', async () => {
    const spans = $state<Draft[]>([
      ['9', '1730'],
      ['19', 'late'],
    ]);
    const props = { spans, what: 'Monday hours', faults: { 1: 'overlaps' } };
    render(SpanFields, { ...props, next: ['09:00', '17:00'], none: 'closed' });
    const from = screen.getByLabelText<HTMLInputElement>('Monday hours 1, from');
    const late = screen.getByLabelText<HTMLInputElement>('Monday hours 2, to');
    await fireEvent.blur(from);
    await fireEvent.blur(late);
    expect([from.value, late.value]).toEqual(['09:00', 'late']);
    expect(late.getAttribute('aria-invalid')).toBe('true');
    await fireEvent.click(screen.getByRole('button', { name: 'Remove Monday hours 2' }));
    await fireEvent.click(screen.getByRole('button', { name: 'Remove Monday hours 1' }));
    expect(screen.getByText(/closed/)).toBeTruthy();
    await fireEvent.click(screen.getByRole('button', { name: 'Add Monday hours' }));
    expect(screen.getByLabelText<HTMLInputElement>('Monday hours 1, to').value).toBe('17:00');
  });
});

describe('a change that leaves bookings outside the rules', () => {
  const misfit = {
    id: 1,
    reference: 'ABC-DEFG',
    client: 'Rosa',
    service: 'Home tuning',
    staff: 'Bryn',
    when: 'Wed 4 Mar 2026',
  };
  const problem = new Problem(
    { detail: 'x', misfits: [{ ...misfit, reasons: ['busy', 'cap'] }], misfitCount: 3 },
    409,
  );

  it('names them with their reasons, and leaves the choice', async () => {
    const [accept, back] = [vi.fn(), vi.fn()];
    keepReasons([
      { code: 'busy', words: 'a personal event is in the way' },
      { code: 'cap', words: 'the cap for the day is reached' },
    ]);
    render(Misfits, { problem, onaccept: accept, onback: back });
    expect(screen.getByText('3 bookings')).toBeTruthy();
    expect(screen.getByText('and 2 more')).toBeTruthy();
    expect(screen.getByText(/a personal event is in the way, the cap for the day is reached/)).toBeTruthy();
    await fireEvent.click(screen.getByRole('button', { name: 'Save, and keep them' }));
    await fireEvent.click(screen.getByRole('button', { name: 'Go on editing' }));
    expect([accept.mock.calls.length, back.mock.calls.length]).toEqual([1, 1]);
  });

  it('is a problem like others', () => {
    expect(problemOf(problem)).toBe(problem);
    expect(problemOf(new Error('odd')).message).toContain('odd');
    expect(new Problem({}, 500).message).toBe('Something went wrong on our side.');
  });
});
