import { NotTaken, type Body, type BodyEdge } from '../src/body/body.ts';
import type { Vec3 } from '../src/geometry/vector.ts';

/** A body of one flat face with square loops: corners of each, in order. */
export function flatBody(loops: readonly (readonly [number, number])[][]): Body {
  const points: Vec3[] = [];
  const edges: BodyEdge[] = [];
  const uses = loops.map((corners) => {
    const first = points.length;
    for (const [x, y] of corners) points.push([x, y, 0]);
    return corners.map(([x, y], i) => {
      const [a, b] = corners[(i + 1) % corners.length];
      const long = Math.hypot(a - x, b - y);
      edges.push({ curve: { kind: 'line', at: [x, y, 0], along: [(a - x) / long, (b - y) / long, 0] }, from: 0, to: long, start: first + i, end: first + ((i + 1) % corners.length) }); // prettier-ignore
      return { edge: edges.length - 1, turned: false };
    });
  });
  return { points, edges, faces: [{ surface: { kind: 'plane', frame: { at: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } }, turned: false, loops: uses }], shells: [[0]], tolerance: 0 }; // prettier-ignore
}

/** Why some work does not take a body; "taken" when it does. */
export const why = (work: () => unknown): string => {
  try {
    work();
    return 'taken';
  } catch (thrown) {
    if (!(thrown instanceof NotTaken)) throw thrown;
    return thrown.why;
  }
};
