import { describe, expect, it } from 'vitest';
import type { Shape } from '$lib/api/client';
import { sentence } from './words';

const item = (soon: boolean) => ({ soon }) as Shape<'AttentionItem'>;

describe('what there is to look at', () => {
  it.each([
    [[], '9 of 9 are read.'],
    [[true], 'One needs you by the end of tomorrow. 9 of 9 are read.'],
    [[true, true, false], 'Two need you by the end of tomorrow, one can wait. 9 of 9 are read.'],
    [Array<boolean>(12).fill(false), '12 can wait. 9 of 9 are read.'],
  ])('%j', (soon, want) => expect(sentence({ items: soon.map(item), holds: '9 of 9 are read.' })).toBe(want));
});
