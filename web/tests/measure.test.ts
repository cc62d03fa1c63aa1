import { describe, expect, test } from 'vitest';
import type { Measured, Shape } from 'tall-kite/view/shape';
import { measuredLength } from 'tall-kite/base/lengths';
import { betweenSaid, pickSaid, shapeSaid } from '../light-table/measured.ts';

const mm = { len: (v: number) => measuredLength(v, 'mm'), scale: 1 };
const picked = (shape: Shape, more: Partial<Measured> = {}): Measured => ({ shape, at: [0, 0, 0], exact: true, wall: null, triangles: [], line: [], ...more });

describe('what a pick says', () => {
  const hole: Shape = { kind: 'cylinder', at: [0, 0, 0], axis: [0, 0, 1], r: 3.3, hollow: true, along: 12, area: 248.8 };
  test('a hole by its diameter, its radius and its depth; what is round outside is long', () => {
    expect(shapeSaid(hole, mm)).toBe('round inside, ø 6.600 mm, radius 3.300 mm, 12.000 mm deep');
    expect(shapeSaid({ ...hole, hollow: false }, mm)).toBe('round outside, ø 6.600 mm, radius 3.300 mm, 12.000 mm long');
  });
  test('figures after the scale of the part, areas by its square, in the unit of the person', () => {
    expect(shapeSaid({ kind: 'line', from: [0, 0, 0], to: [1, 0, 0], length: 1 }, { ...mm, scale: 25.4 })).toBe('straight edge, 25.400 mm long');
    expect(shapeSaid({ kind: 'plane', at: [0, 0, 0], normal: [0, 0, 1], area: 10 }, { ...mm, scale: 2 })).toBe('flat face, about 40.0 mm²');
    expect(shapeSaid({ kind: 'line', from: [0, 0, 0], to: [1, 0, 0], length: 25.4 }, { len: (v) => measuredLength(v, 'in'), scale: 1 })).toMatch(
      /^straight edge, 1\.0+ in long$/,
    );
  });
  test('an arc and a whole circle, a cone by the angle between its sides', () => {
    expect(shapeSaid({ kind: 'circle', centre: [0, 0, 0], axis: [0, 0, 1], r: 4, turn: 90, length: 2 * Math.PI }, mm)).toBe(
      'arc, radius 4.000 mm, 90°, 6.283 mm long',
    );
    expect(shapeSaid({ kind: 'circle', centre: [0, 0, 0], axis: [0, 0, 1], r: 4, turn: 360, length: 8 * Math.PI }, mm)).toBe(
      'round edge, ø 8.000 mm, 25.133 mm round',
    );
    expect(shapeSaid({ kind: 'cone', apex: [0, 0, 0], axis: [0, 0, 1], half: 45, hollow: true, area: 1 }, mm)).toBe('cone inside, 90° between its sides');
  });
  test('a curve is drawn by pieces: its length is about right', () => {
    expect(shapeSaid({ kind: 'curve', length: 12 }, mm)).toBe('curved edge, about 12.000 mm long');
  });
  test('the wall behind it; what comes of triangles says so', () => {
    expect(pickSaid(picked(hole, { wall: { thickness: 2, to: [0, 0, 0] } }), mm)).toMatch(/deep; 2\.000 mm through the part there$/);
    expect(pickSaid(picked(hole, { exact: false }), mm)).toMatch(/^from its triangles: round inside/);
    expect(pickSaid(picked({ kind: 'point', at: [1, 2, 3] }, { exact: false }), mm)).toBe('point at X 1.000 mm, Y 2.000 mm, Z 3.000 mm');
  });
});

describe('what lies between two picks', () => {
  const it = { distance: 13, of: 'axes', from: [0, 0, 0], to: [3, 4, 12], angle: 0, parallel: true, centres: null } as const;
  test('the distance, that it is parallel, and its parts along the axes', () => {
    expect(betweenSaid({ ...it, from: [0, 0, 0], to: [-3, 4, 12] }, mm)).toEqual({
      distance: '13.000 mm',
      of: 'axes',
      more: 'parallel; X 3.000 mm, Y 4.000 mm, Z 12.000 mm',
    });
  });
  test('an angle with what it leaves of a straight one; centres only where they say something else', () => {
    expect(betweenSaid({ ...it, from: [0, 0, 0], to: [3, 4, 12], angle: 30, parallel: false }, mm).more).toMatch(/^angle 30° \(150°\); X/);
    expect(betweenSaid({ ...it, from: [0, 0, 0], to: [3, 4, 12], centres: 14 }, mm).more).toContain('centres 14.000 mm apart');
    expect(betweenSaid({ ...it, from: [0, 0, 0], to: [3, 4, 12], centres: 13 }, mm).more).not.toContain('centres');
    expect(betweenSaid({ ...it, from: [0, 0, 0], to: [3, 4, 12], angle: null, parallel: false }, mm).more).toMatch(/^X/);
  });
});
