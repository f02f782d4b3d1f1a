import { expect, it } from 'vitest';
import { clientOf } from './client';

const ada = { name: 'Ada Winter', mail: 'ada@clients.example', phone: '', address: '' };

it.each([
  ['at ours', ada, 'ours', {}],
  ['with a telephone', { ...ada, phone: '01 555 0177' }, 'telephone', { phone: '01 555 0177' }],
  ['at theirs', { ...ada, address: '12 Elm Row' }, 'theirs', { address: '12 Elm Row' }],
  ['at theirs, where they say it later', ada, 'theirs', {}],
  ['at ours, after another service was looked at', { ...ada, address: '12 Elm Row' }, 'ours', {}],
  ['of a service that is not known yet', { ...ada, address: '12 Elm Row' }, undefined, {}],
])('the desk asks for a visit %s', (_, who, venue, more) => {
  expect(clientOf(who, venue)).toEqual({ name: 'Ada Winter', email: 'ada@clients.example', ...more });
});
