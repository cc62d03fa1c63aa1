import { Matrix4, Quaternion, Vector2, Vector3 } from 'three';
import { describe, expect, test } from 'vitest';
import { nearEdge } from '../light-table/picking.ts';
import { cutPrint, reachAlong } from '../light-table/section-cut.ts';
import { nextShown, shownNow, type Showable, type Shown } from '../light-table/shown.tsx';
import { moved } from '../light-table/SplitLine.tsx';
import { labelsApart, mostApart } from '../join/labels.ts';
import fc from 'fast-check';

describe('the edge under the pointer', () => {
  // Two edges along X in a picture of 200 by 200: one at the middle, one in front of it 30 px higher. The screen goes from -1 to 1.
  const edges = Float32Array.from([-0.5, 0, 0, 0.5, 0, 0, -0.5, 0.3, -0.5, 0.5, 0.3, -0.5]);
  const size = { clientWidth: 200, clientHeight: 200 };
  const at = (x: number, y: number) => nearEdge(edges, new Matrix4(), new Vector2(x, y), size);
  test('within 9 px of it, not further', () => {
    expect(at(0.1, -0.085)?.edge?.[0]).toEqual([-0.5, 0, 0]);
    expect(at(0.1, -0.1)).toBeNull();
  });
  test('its end where that is as near, the place on it elsewhere', () => {
    expect(at(0.46, 0)).toMatchObject({ vertex: true, point: [0.5, 0, 0] });
    expect(at(0.25, 0.02)).toMatchObject({ vertex: false, point: [0.25, 0, 0] });
  });
  test('one that lies behind what is seen is not taken; one that a section cuts away neither', () => {
    // The edge in the middle lies at depth 0, the one above it at -0.5.
    expect(nearEdge(edges, new Matrix4(), new Vector2(0.1, 0), { ...size, behind: -0.1 })).toBeNull();
    expect(nearEdge(edges, new Matrix4(), new Vector2(0.1, 0), { ...size, behind: 0.1 })?.edge?.[0]).toEqual([-0.5, 0, 0]);
    const shown = ([x]: number[]) => x > 0.2;
    expect(nearEdge(edges, new Matrix4(), new Vector2(0.1, 0), { ...size, shown })).toBeNull();
    expect(nearEdge(edges, new Matrix4(), new Vector2(0.3, 0), { ...size, shown })?.point[0]).toBeCloseTo(0.3, 6);
  });
  test('too many edges are not looked through', () => {
    expect(nearEdge(new Float32Array(600_006), new Matrix4(), new Vector2(0, 0), size)).toBeNull();
  });
});

describe('a cut through a part that stands turned, scaled and shifted', () => {
  // A tetrahedron over the corner of a cube: corners at 0 and 10 along each axis.
  const print = { positions: Float32Array.from([0, 0, 0, 10, 0, 0, 0, 10, 0, 0, 0, 10]), triangles: Uint32Array.from([0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3]) };
  const quarter = new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), Math.PI / 2);
  const matrix = new Matrix4().compose(new Vector3(5, 6, 7), quarter, new Vector3(2, 2, 2));
  test('area and length are mm of the standing part: a right triangle at half its height', () => {
    // Turned about X its Y points up: from Z 7 to 27. At 17 the legs are 10 mm.
    const { figures } = cutPrint(print, matrix, { axis: 2, at: 17, behind: false }, 1);
    expect(figures.area).toBeCloseTo(50, 4);
    expect(figures.length).toBeCloseTo(20 + Math.sqrt(200), 4);
  });
  test('the section can lie where the standing part does', () => {
    const [low, high] = reachAlong(print.positions, matrix, 2);
    expect([low, high].map((v) => Math.round(v * 1e6) / 1e6)).toEqual([7, 27]);
  });
});

describe('what is shown', () => {
  test('the ring has only what there is something for', () => {
    const round = (what: Showable) => {
      const seen: Shown[] = ['both'];
      while (seen.length < 9) {
        const next = nextShown(seen.at(-1)!, what);
        if (next === seen[0]) break;
        seen.push(next);
      }
      return seen;
    };
    expect(round({ received: false })).toEqual(['both', 'designed']);
    expect(round({ received: true })).toEqual(['both', 'received', 'beside', 'split', 'designed']);
    expect(round({ received: true, differs: true })).toEqual(['both', 'received', 'beside', 'split', 'difference', 'designed']);
  });
  test('a step without a received print shows both instead of an empty stage', () => {
    for (const chosen of ['received', 'beside', 'split', 'difference'] as const) expect(shownNow(chosen, { received: false, differs: false })).toBe('both');
    expect(shownNow('designed', { received: false })).toBe('designed');
    expect(shownNow('split', { received: true })).toBe('split');
  });
  test('keys move the line of a split picture, and not out of it', () => {
    expect([moved(0.5, 'ArrowLeft'), moved(0.5, 'ArrowRight')]).toEqual([0.48, 0.52]);
    expect([moved(0.03, 'ArrowLeft'), moved(0.97, 'ArrowRight'), moved(0.5, 'Home'), moved(0.5, 'End')]).toEqual([0.02, 0.98, 0.02, 0.98]);
    expect(moved(0.5, 'd')).toBeNull();
  });
});

describe('names of parts on the join table', () => {
  const label = fc.record({ x: fc.integer({ min: 0, max: 400 }), y: fc.integer({ min: 0, max: 300 }), width: fc.integer({ min: 10, max: 120 }) });
  test('none lies over another, none goes up, and who has room stays', () => {
    fc.assert(
      fc.property(fc.array(label, { maxLength: mostApart }), (labels) => {
        const ys = labelsApart(labels, 19);
        const over = (i: number, k: number, at: number[]) =>
          2 * Math.abs(labels[i].x - labels[k].x) < labels[i].width + labels[k].width && Math.abs(at[i] - at[k]) < 19;
        for (let i = 0; i < labels.length; i++) {
          expect(ys[i]).toBeGreaterThanOrEqual(labels[i].y);
          for (let k = 0; k < i; k++) expect(over(i, k, ys)).toBe(false);
        }
      }),
    );
    expect(labelsApart([{ x: 0, y: 0, width: 40 }, { x: 60, y: 5, width: 40 }, { x: 0, y: 40, width: 40 }], 19)).toEqual([0, 5, 40]); // prettier-ignore
  });
  test('so many as nobody reads stay where they are', () => {
    const same = { x: 1, y: 2, width: 30 };
    expect(labelsApart(Array(mostApart).fill(same), 19).at(-1)).toBeGreaterThan(2);
    expect(new Set(labelsApart(Array(mostApart + 1).fill(same), 19))).toEqual(new Set([2]));
  });
});
