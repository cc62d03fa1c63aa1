import { describe, expect, test } from 'vitest';
import { afterTurn, noTurn, placed, takenBack, turnAbout, turned } from '../src/geometry/placement.ts';
import { factorFor, lengthUnits, mmPer, readings } from '../src/base/readings.ts';
import { normalOfThree, placementOf, setDown, sideDown, stand, standingOf } from '../src/stance/stance.ts';
import { boxMesh, prismMesh } from './data.ts';

describe('unit readings', () => {
  test('units in mm (yard and pound agreement, 1959; SI)', () => {
    expect(lengthUnits.map((u) => u.mm)).toEqual([1, 10, 1000, 25.4, 304.8]);
    expect(() => mmPer('furlong')).toThrow(RangeError);
  });
  test('a part of 0.87 units is unlikely in mm and likely in inches on a 250 mm bed', () => {
    const all = readings([0.87, 0.87, 0.55], [250, 210, 210]);
    expect(Object.fromEntries(all.map((r) => [r.unit, r.likely]))).toEqual({ mm: 0, cm: 2, m: 0, in: 2, ft: 0 });
    expect(all.find((r) => r.unit === 'in')!.size[0]).toBeCloseTo(22.098, 9);
  });
  test('one known length gives the factor its name (CSS Values 3: 72 points, 96 px an inch)', () => {
    expect(factorFor(1, 25.4).name).toContain('inches');
    expect(factorFor(90, 90 * (72 / 2.54)).name).toBe('points read as centimetres');
    expect(factorFor(90, 90 * 2.8346).name).toBe('points read as millimetres');
    expect(factorFor(10, 33.3)).toEqual({ factor: expect.closeTo(3.33, 9), name: null });
    expect(() => factorFor(0, 3)).toThrow(RangeError);
  });
});

describe('stance', () => {
  const box = boxMesh(10, 20, 30);
  test('set down: the face looks down, the part rests on it at z = 0, and nothing is mirrored', () => {
    for (const normal of [
      [1, 0, 0],
      [0, -1, 0],
      [0, 0, 1],
      [0, 0, -1],
    ] as [number, number, number][]) {
      // prettier-ignore
      const stance = setDown(normal, noTurn);
      expect(turned(stance.turn, normal).map((v) => v + 0)).toEqual([expect.closeTo(0, 9), expect.closeTo(0, 9), expect.closeTo(-1, 9)]);
      const standing = standingOf(stand(box, placementOf(stance, 1, box.positions)));
      expect(standing.lowest).toBeCloseTo(0, 9);
      const k = normal.findIndex((v) => v !== 0);
      expect(standing.contact).toBeCloseTo(6000 / [10, 20, 30][k], 6);
      expect(standing.height).toBeCloseTo([10, 20, 30][k], 6);
    }
  });
  test('three points: a plane away from the middle, or nothing when they lie on a line', () => {
    expect(normalOfThree([0, 0, 30], [10, 0, 30], [0, 20, 30], [5, 10, 15])).toEqual([0, 0, 1]);
    expect(normalOfThree([0, 0, 0], [1, 1, 1], [2, 2, 2], [5, 10, 15])).toBeNull();
  });
  test('a placement taken back gives the coordinates again', () => {
    const turn = afterTurn(turnAbout([0, 0, 1], 0.7), turnAbout([1, 0, 0], -1.1));
    const placement = placementOf({ turn, drop: true, how: 'turned' }, 25.4, box.positions);
    const back = takenBack(placed(box.positions, placement), placement, 25.4);
    back.forEach((v, i) => expect(v).toBeCloseTo(box.positions[i], 9));
  });
  test('the side down is named by the model axis', () => {
    expect(sideDown(noTurn)).toBe('−Z side');
    expect(sideDown(turnAbout([1, 0, 0], Math.PI / 2))).toBe('−Y side');
    expect(sideDown(turnAbout([1, 0, 0], 0.4))).toBe('tilted');
  });
  test('overhang: a box on a corner of its edge hangs over on its lower sides, a standing one nowhere', () => {
    expect(standingOf(box)).toMatchObject({ overhang: 0, contact: 200 });
    // Leant by 60 degrees about x, the side that was vertical hangs by 60 degrees from the vertical.
    const leant = stand(box, placementOf({ turn: turnAbout([1, 0, 0], Math.PI / 3), drop: true, how: '' }, 1, box.positions));
    const standing = standingOf(leant, 45);
    expect(standing.steepest).toBeCloseTo(60, 6);
    expect(standing.overhang).toBeCloseTo(10 * 30, 6);
  });
  test('a cone point down hangs by its half angle over its whole side', () => {
    const cone = prismMesh(180, 10, 10);
    for (let i = 0; i < 180; i++) cone.positions.set([0, 0, 0], i * 3);
    const standing = standingOf(cone, 40);
    expect(standing.steepest).toBeCloseTo(45, 1);
    expect(standing.overhang / (Math.PI * 10 * Math.hypot(10, 10))).toBeCloseTo(1, 2);
  });
});
