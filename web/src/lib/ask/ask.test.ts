import { expect, test } from 'vitest';
import type { Shape } from '$lib/api/client';
import { answersOf, faultsOf, keyOf, put } from './ask';

const ask = (key: string, more: Partial<Shape<'Question'>> = {}): Shape<'Question'> => ({
  key,
  kind: 'yes-no',
  label: key,
  ...more,
});

test('what is put depends on what was put and said', () => {
  const asks = [ask('a'), ask('b', { after: 'a', said: 'yes' }), ask('c', { after: 'b', said: 'no' })];
  const keys = (said: Record<string, string[]>) => put(asks, said).map((q) => q.key);
  expect(keys({})).toEqual(['a']);
  expect(keys({ a: ['yes'] })).toEqual(['a', 'b']);
  expect(keys({ a: ['yes'], b: ['no'] })).toEqual(['a', 'b', 'c']);
  // What lies below a question that is not put is not put either, whatever was said before.
  expect(keys({ a: ['no'], b: ['no'] })).toEqual(['a']);
  expect(answersOf(asks, { a: ['no'], b: ['no'], c: [' '] })).toEqual({ a: ['no'] });
});

test('faults stand at their questions', () => {
  expect(faultsOf({ email: 'x', 'answers.piano': 'y', 'answers.more[0]': 'z' })).toEqual({
    piano: 'y',
    more: 'z',
  });
});

test('keys are made from words, each once', () => {
  expect(keyOf('What stands there?', [])).toBe('what-stands-there');
  expect(keyOf('Où?', ['ou'])).toBe('ou-2');
  expect(keyOf('???', [])).toBe('question');
});
