import type { Group, LineBasicMaterial, LineSegments, Matrix4 } from 'three';
import type { Vec3 } from 'tall-kite/geometry/vector';
import { sectionOf } from 'tall-kite/view/section';

/** A plane across one axis, mm of the standing part; `behind` shows the other half. */
export interface SectionPlane {
  axis: 0 | 1 | 2;
  at: number;
  behind: boolean;
}

/** What a plane cuts of each, mm2 and mm; null for one that is not there. */
export type SectionFigures = Record<'designed' | 'received', { area: number; length: number } | null>;

/** A print that can be cut: its triangles in its own coordinates. */
export interface CutPrint {
  positions: Float32Array;
  triangles: Uint32Array;
}

/** Extent of points along an axis after a matrix. */
export function reachAlong(positions: Float32Array, matrix: Matrix4, axis: 0 | 1 | 2): [number, number] {
  const m = matrix.elements;
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    const v = m[axis] * positions[i] + m[axis + 4] * positions[i + 1] + m[axis + 8] * positions[i + 2] + m[axis + 12];
    if (v < low) low = v;
    if (v > high) high = v;
  }
  return [low, high];
}

/** What the plane cuts of a print that stands by a matrix, in the print's own coordinates; its figures in mm. @param pitch of the hatching, mm */
export function cutPrint(print: CutPrint, matrix: Matrix4, { axis, at }: SectionPlane, pitch: number) {
  const m = matrix.elements;
  const scale = matrix.getMaxScaleOnAxis();
  // The plane in the print's own coordinates: row of the turn, distance without shift and scale.
  const normal: Vec3 = [m[axis] / scale, m[axis + 4] / scale, m[axis + 8] / scale];
  const { outline, hatch, area, length } = sectionOf(print, { normal, offset: (at - m[axis + 12]) / scale }, pitch / scale);
  return { outline, hatch, figures: { area: area * scale * scale, length: length * scale } };
}

/** Lays outline and hatching of a cut into its group, in front of what was cut. */
export function fillCut(group: Group, matrix: Matrix4, [outline, hatch]: [LineSegments, LineSegments]): void {
  group.matrixAutoUpdate = false;
  group.matrix.copy(matrix);
  group.matrixWorldNeedsUpdate = true;
  const faint = hatch.material as LineBasicMaterial;
  faint.transparent = true;
  faint.opacity = 0.6;
  for (const drawn of [outline, hatch]) drawn.renderOrder = 5;
  group.add(outline, hatch);
}
