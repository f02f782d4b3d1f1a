import { beforeEach, expect, it } from 'vitest';
import { firstCollection, firstPage } from './first';

function along(text: string) {
  const data = document.createElement('script');
  [data.type, data.id, data.textContent] = ['application/json', 'first', text];
  document.head.append(data);
}
beforeEach(() => document.getElementById('first')?.remove());

const page = { zone: 'Europe/Dublin', service: 'Home tuning' };
const collection = { zone: 'Europe/Dublin', title: 'All we do' };

it('what came along is shown at once where it is of this page, by this client’s zone and clock', () => {
  along(JSON.stringify({ slug: 'home-tuning', clock: '24', page }));
  expect(firstPage('home-tuning', 'Europe/Dublin', '24')).toEqual(page);
  expect(firstPage('home-tuning', 'Europe/Dublin', '12')).toBeUndefined();
  expect(firstPage('home-tuning', 'America/New_York', '24')).toBeUndefined();
  expect(firstPage('concert-tuning', 'Europe/Dublin', '24')).toBeUndefined();
  expect(firstCollection('home-tuning', 'Europe/Dublin', '24')).toBeUndefined();
});

it('the same of a page of several services', () => {
  along(JSON.stringify({ slug: 'all-we-do', clock: '12', collection }));
  expect(firstCollection('all-we-do', 'Europe/Dublin', '12')).toEqual(collection);
  expect(firstCollection('all-we-do', 'Europe/Dublin', '24')).toBeUndefined();
  expect(firstPage('all-we-do', 'Europe/Dublin', '12')).toBeUndefined();
});

it.each(['', 'no JSON', 'null', '7', '{"slug":"home-tuning","clock":"24"}'])(
  'where %s came along, the page is asked for',
  (text) => {
    along(text);
    expect(firstPage('home-tuning', 'Europe/Dublin', '24')).toBeUndefined();
  },
);
