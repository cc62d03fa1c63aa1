/** A light picture of a heavy surface: against the surface itself, by its own bound and by what any closed surface keeps. */
import { expect, test } from 'vitest';
import { lightCells, lightOf } from '../src/view/light.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { sphere } from './patch.data.ts';

const radius = 50;
const ball = sphere(radius, 5);
const drawn = { positions: Float32Array.from(ball.positions), triangles: ball.triangles };

test('every vertex stays within a diagonal of its cell; far fewer triangles', () => {
  const cells = 20;
  const light = lightOf(drawn, cells);
  const diagonal = Math.sqrt(3) * ((2 * radius) / cells);
  expect(light.triangles.length).toBeLessThan(drawn.triangles.length / 2);
  for (let i = 0; i < light.positions.length; i += 3) {
    const off = radius - Math.hypot(...light.positions.slice(i, i + 3));
    expect(off).toBeGreaterThan(-1e-4);
    expect(off).toBeLessThan(diagonal);
  }
});
test('it encloses nearly what the ball does: no side is turned round, none is missing', () => {
  const light = lightOf(drawn, 40);
  const { volume } = measureMesh({ positions: Float64Array.from(light.positions), triangles: light.triangles });
  const whole = (4 / 3) * Math.PI * radius ** 3;
  expect(volume / whole).toBeGreaterThan(0.95);
  expect(volume / whole).toBeLessThan(1);
  // Each side that one triangle runs along is run back along by another: the surface is still closed.
  const sides = new Map<string, number>();
  const { triangles: t } = light;
  for (let i = 0; i < t.length; i += 3)
    for (let k = 0; k < 3; k++) {
      const [a, b] = [t[i + k], t[i + ((k + 1) % 3)]];
      const key = `${Math.min(a, b)} ${Math.max(a, b)}`;
      sides.set(key, (sides.get(key) ?? 0) + Math.sign(b - a));
    }
  expect([...sides.values()].filter((n) => n !== 0)).toEqual([]);
});
test('what is finer than the grid stays as it is; what is nothing is nothing', () => {
  const coarse = sphere(radius, 2);
  const same = lightOf({ positions: Float32Array.from(coarse.positions), triangles: coarse.triangles }, lightCells);
  expect(same.triangles).toHaveLength(coarse.triangles.length);
  expect(lightOf({ positions: new Float32Array(9), triangles: Uint32Array.from([0, 1, 2]) }).triangles).toHaveLength(0);
  expect(() => lightOf(drawn, 0)).toThrow('between 1 and 250 cells');
  expect(() => lightOf(drawn, 251)).toThrow('between 1 and 250 cells');
});
