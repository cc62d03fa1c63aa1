import { contourOf, type Drawing } from '../curves/drawing.ts';
import { fromManifold, withSolids, type Engine, type Frame } from '../engine/engine.ts';
import type { Mesh } from '../geometry/mesh.ts';
import type { Receiver } from '../receivers/receivers.ts';

/** Strips of the kerf test: cut on the line and pushed together they are shorter than drawn by one kerf each. mm. */
export const kerfStrips = { count: 10, width: 10, length: 40, apart: 5 } as const;

/** Walls of the printed test, mm thick, from what a fine nozzle makes to three lines of a common one. */
export const testWalls = [0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1, 1.2] as const;
/** Gaps around the pins of the printed test, mm. */
export const testGaps = [0.05, 0.1, 0.15, 0.2, 0.3, 0.4] as const;

const wallLength = 12;
const wallHeight = 8;
const base = 2;
const pin = 7;
const pinPitch = 12;

/**
 * Strips to be cut on the line, for the kerf of a machine that cuts sheet. Common practice, no source.
 * @example kerfTest().layers[0].contours.length // 10
 */
export function kerfTest(): Drawing {
  const { count, width, length, apart } = kerfStrips;
  const strip = (x: number) => {
    const corners: [number, number][] = [[x, 0], [x + width, 0], [x + width, length], [x, length]]; // prettier-ignore
    return contourOf(
      corners.map((a, i) => ({ kind: 'line' as const, a, b: corners[(i + 1) % 4] })),
      true,
    );
  };
  const contours = Array.from({ length: count }, (_, i) => strip(i * (width + apart)));
  return { layers: [{ name: 'cut', colour: null, lineType: 'CONTINUOUS', contours }], texts: [], points: [] };
}

/**
 * The kerf from the length of all strips pushed together, mm; null for a length that no kerf gives.
 * @example kerfOf(98.4) // 0.16
 */
export function kerfOf(together: number): number | null {
  const { count, width } = kerfStrips;
  const kerf = width - together / count;
  return together > 0 && kerf >= 0 && kerf < width / 2 ? Number(kerf.toFixed(4)) : null;
}

const frame: Frame = { shift: [0, 0, 0], scale: 1 };

/**
 * A plate with walls of several thicknesses and pins that stand in holes with several gaps, for the bead and the clearance of a printer:
 * which wall stands, which pin turns. Pins are pieces of their own. Common practice, no source. mm, the lowest point at Z 0.
 */
export function printTest(engine: Engine): Mesh {
  return withSolids((keep) => {
    const box = (size: [number, number, number], at: [number, number, number]) => keep(keep(engine.Manifold.cube(size)).translate(at));
    const round = (d: number, h: number, at: [number, number, number]) => keep(keep(engine.Manifold.cylinder(h, d / 2, d / 2, 96)).translate(at));
    const wide = Math.max(testWalls.length * 8, testGaps.length * pinPitch) + 6;
    const plate = box([wide, wallLength + pinPitch + 8, base * 2], [0, 0, 0]);
    const walls = testWalls.map((t, i) => box([t, wallLength, wallHeight + base * 2], [4 + i * 8, 2, 0]));
    const middle = (i: number): [number, number, number] => [3 + pinPitch * (i + 0.5), wallLength + 6 + pinPitch / 2, 0];
    const holes = testGaps.map((gap, i) => round(pin + 2 * gap, base * 4, [middle(i)[0], middle(i)[1], -base]));
    const pins = testGaps.map((_, i) => round(pin, base * 2 + wallHeight / 2, middle(i)));
    const body = keep(keep(engine.Manifold.union([plate, ...walls])).subtract(keep(engine.Manifold.union(holes))));
    return fromManifold(keep(engine.Manifold.union([body, ...pins])), frame);
  });
}

/** The rules of a machine with what a test piece gave. @example withMeasured(rules, { kerf: 0.17 }).cutter!.kerf */
export function withMeasured(rules: Receiver, { kerf, bead, clearance }: { kerf?: number; bead?: number; clearance?: number }): Receiver {
  return {
    ...rules,
    ...(bead === undefined ? {} : { bead }),
    ...(clearance === undefined ? {} : { clearance }),
    ...(kerf !== undefined && rules.cutter ? { cutter: { ...rules.cutter, kerf } } : {}),
  };
}
