import { describe, expect, test } from 'vitest';
import { distinct } from '../src/operations/stances.ts';

const stance = (side: string, height: number, contact = 12, support = 5, overhang = 7) =>
  ({ side, height, contact, support, overhang, turn: [0, 0, 0, 1], steady: 1, cost: 1, picture: '' }) as never;

describe('ways to stand that are alike', () => {
  test('a tilted one is shown once, whichever of the alike corners it stands on', () => {
    expect(distinct([stance('tilted', 108.5), stance('tilted', 108.5), stance('tilted', 108.5, 12.01)])).toHaveLength(1);
  });
  test('0.4 % apart is alike, 0.6 % is not; small figures are held in units', () => {
    expect(distinct([stance('tilted', 100), stance('tilted', 100.4)])).toHaveLength(1);
    expect(distinct([stance('tilted', 100), stance('tilted', 100.6)])).toHaveLength(2);
    expect(distinct([stance('tilted', 100, 0), stance('tilted', 100, 0.004)])).toHaveLength(1);
    expect(distinct([stance('tilted', 100, 0), stance('tilted', 100, 0.006)])).toHaveLength(2);
  });
  test('each figure tells two apart; named sides are never one', () => {
    for (const k of [1, 2, 3, 4]) {
      const figures = [100, 12, 50, 70].map((v, i) => (i === k - 1 ? v * 1.01 : v));
      expect(distinct([stance('tilted', 100, 12, 50, 70), stance('tilted', ...(figures as [number, number, number, number]))]), String(k)).toHaveLength(2);
    }
    expect(distinct([stance('−Z side', 10), stance('+Z side', 10)])).toHaveLength(2);
  });
  test('the first of them stays, in the order of the rank', () => {
    const list = [stance('tilted', 50), stance('−Z side', 10), stance('tilted', 50)];
    expect(distinct(list)).toEqual([list[0], list[1]]);
  });
});
