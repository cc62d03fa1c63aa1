import { describe, expect, test } from 'vitest';
import { axesOf, lookAlong, projected, usualLook } from '../tubes/projection.ts';

const dot = (a: readonly number[], b: readonly number[]) => a.reduce((sum, v, i) => sum + v * b[i], 0);
const cross = (a: readonly number[], b: readonly number[]) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];

describe('how a tube is seen', () => {
  test('right, up and towards the eye stand square to each other and right-handed: a mirrored picture would show the tube of the wrong hand', () => {
    for (const look of [usualLook, { turn: 2, lean: -1 }, { turn: 0, lean: Math.PI / 2 }]) {
      const { x, y, z } = axesOf(look);
      for (const [a, b] of [[x, y], [y, z], [z, x]]) expect(dot(a, b)).toBeCloseTo(0, 12); // prettier-ignore
      expect(dot(cross(x, y), z)).toBeCloseTo(1, 12);
    }
  });
  test('along the axis of a bend its plane is seen as it is: lengths in it are not shortened', () => {
    for (const axis of [
      [0, 0, 1],
      [1, 0, 0],
      [0.6, -0.64, 0.48],
      [0, 0, -1],
    ] as [number, number, number][]) {
      // prettier-ignore
      const look = lookAlong(axis);
      expect(Math.abs(dot(axesOf(look).z, axis))).toBeCloseTo(1, 9);
      const inPlane = cross(axis, [0.3, 0.5, 0.8]) as [number, number, number];
      const [a, b] = projected([[0, 0, 0], inPlane], look);
      expect(Math.hypot(b.x - a.x, b.y - a.y)).toBeCloseTo(Math.hypot(...inPlane), 9);
    }
  });
  test('what is nearer is nearer: from above, the higher point', () => {
    const [low, high] = projected([[0, 0, 0], [0, 0, 5]], { turn: 0.4, lean: Math.PI / 2 }); // prettier-ignore
    expect(high.near - low.near).toBeCloseTo(5, 12);
  });
});
