import { fireEvent, render, screen } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import Lane from './Lane.svelte';
import type { Layers, Solid } from './lane';

const axis = { from: 480, to: 1080 };
const visit: Solid = {
  key: '7',
  start: 600,
  end: 690,
  occupied: { start: 580, end: 710 },
  around: '09:40–11:50',
  title: 'Rosa Osei',
  short: 'RO',
  sub: 'Home tuning',
  label: '10:00–11:30',
  hue: 3,
  pending: false,
  copy: 'failed',
  clash: 'Busy 10:00–11:00 in “Family” came on top of it.',
};

function drawn(layers: Layers) {
  const { container } = render(Lane, { axis, layers });
  return (kind: string) => [...container.querySelectorAll<HTMLElement>(`.${kind}`)];
}

describe('a lane', () => {
  it('draws alcoves where there is open time, cut at the ends of the axis', () => {
    const all = drawn({
      open: [
        { start: 0, end: 540 },
        { start: 600, end: 660 },
        { start: 1200, end: 1300 },
      ],
    })('alcove');
    expect(all.map((a) => a.getAttribute('style'))).toEqual([
      'left: 0%; width: 10%;',
      'left: 20%; width: 10%;',
    ]);
    expect(all[0]?.className).toContain('cut-left');
  });

  it('bricks up personal time without a title, and says so to screen readers', () => {
    const find = drawn({
      open: [],
      bricks: [{ start: 540, end: 600, title: 'Busy 09:00–10:00, Family', label: 'Family' }],
    });
    expect(find('bricks')).toHaveLength(1);
    expect(find('bricks')[0]?.textContent).toContain('Busy 09:00–10:00, Family');
  });

  it('stands bookings between their ramps, and tells where the copy stands', async () => {
    const picked = vi.fn();
    const { container } = render(Lane, {
      axis,
      layers: { open: [], solids: [visit] },
      picked: '7',
      onpick: picked,
    });
    const solid = screen.getByRole('button', { name: /Rosa Osei/ });
    expect(solid.getAttribute('aria-label')).toBe(
      'Rosa Osei, 10:00–11:30, Home tuning; with buffers 09:40–11:50; copy not written; Busy 10:00–11:00 in “Family” came on top of it.',
    );
    expect(solid.className).toContain('picked');
    expect(solid.className).toContain('clash');
    expect(screen.getByRole('img', { name: 'copy not written' })).toBeTruthy();
    expect(
      [...container.querySelectorAll('.ramp')].map((r) => r.getAttribute('style')?.split('background')[0]),
    ).toEqual(['left: 16.667%; width: 3.333%; ', 'left: 35%; width: 3.333%; ']);
    await fireEvent.click(solid);
    expect(picked).toHaveBeenCalledWith(visit);
  });

  it('keeps busy time and a booking on which it came apart, and shows a card beside what is pointed at', async () => {
    const bricks = [
      { start: 600, end: 660, title: 'Busy 10:00–11:00, Family', label: 'Family' },
      { start: 630, end: 700, title: 'Busy 10:30–11:40, Work', label: 'Work' },
    ];
    const { container } = render(Lane, { axis, layers: { open: [], bricks, solids: [visit] } });
    const styles = [...container.querySelectorAll('.bricks, .solid')].map(
      (e) => e.getAttribute('style') ?? '',
    );
    expect(styles.map((s) => /top: ([\d.]+)%/.exec(s)?.[1])).toEqual(['0', '33.333', '66.667']);
    await fireEvent.pointerOver(container.querySelectorAll('.bricks')[1] as Element);
    expect(screen.getByRole('tooltip').textContent).toContain('Busy 10:30–11:40, Work');
    await fireEvent.pointerOver(screen.getByRole('button', { name: /Rosa Osei/ }));
    expect(screen.getByRole('tooltip').textContent).toContain('with buffers 09:40–11:50');
    await fireEvent.keyDown(window, { key: 'Escape' });
    expect(screen.queryByRole('tooltip')).toBeNull();
  });

  it('marks starts on the sill by their form', () => {
    const sill = [
      { at: 540, offered: true, title: '09:00 is offered' },
      { at: 600, offered: false, title: '10:00: a personal event is in the way' },
    ];
    const ticks = drawn({ open: [], sill })('tick');
    expect(ticks.map((t) => [t.classList.contains('none'), t.textContent])).toEqual([
      [false, '09:00 is offered'],
      [true, '10:00: a personal event is in the way'],
    ]);
  });

  it('draws now, the veil of notice and the end of the window only where they can be seen', () => {
    const seen = drawn({ open: [], now: 600, veil: { start: 600, end: 2000 }, end: 900 });
    expect([seen('now').length, seen('veil').length, seen('wall-end').length]).toEqual([1, 1, 1]);
    expect(seen('veil')[0]?.className).toContain('on');
    const unseen = drawn({ open: [], now: 100, veil: { start: 2000, end: 3000 }, end: 2000 });
    expect(unseen('now').length + unseen('veil').length + unseen('wall-end').length).toBe(0);
  });
});
