import type { SkinContour } from './pieces.ts';
import { areaOfContour, contourOf, type Contour } from '../curves/drawing.ts';
import { isFull, reversed, type Segment } from '../curves/segment.ts';
import { scaled, type Vec3 } from '../geometry/vector.ts';
import type { LaidSheet } from './lay-out.ts';
import { flatOf, type FlatPiece } from './pieces.ts';
import { across, chainsOf, uprightRound } from './skin.ts';
import { middleOfFace, normalAt, placeText, pointOn } from './topology.ts';

/** What comes out of a hole on the other side of the sheet: its edges there, the faces of that side, and the patches that the hole lies on. */
export interface FarBorder {
  lower: readonly number[];
  far: ReadonlySet<number>;
  patches: readonly number[];
}

/** A hole through the sheet: as it is on the up side, or the narrowest, said when the two sides differ. */
export function throughCut(sheet: LaidSheet, c: SkinContour, { upright, ...behind }: FarBorder & { upright: boolean }): SkinContour {
  const { top, findings } = sheet;
  const { lower, far, patches } = behind;
  const uprightDown = uprightRound(top, lower, (e) => e.faces.find((f) => far.has(f))!);
  if (upright && uprightDown) {
    const straight = roundOf(c.contour);
    if (straight === null || lower.length > 2 || patches.length > 1) return c;
    const other = farContour(sheet, behind);
    const there = other ? roundOf(other.contour) : null;
    if (there === null || Math.abs(there - straight) < 1e-6 * straight + 1e-6) return c;
    return countersunk(sheet, c, other!, [straight, there]);
  }
  const other = farContour(sheet, behind);
  const [here, there] = [roundOf(c.contour), other ? roundOf(other.contour) : null];
  if (other && here !== null && there !== null) return countersunk(sheet, c, other, [here, there]);
  findings.push({
    code: 'hole-bevelled',
    severity: 'look',
    count: 1,
    message: `A hole at ${placeText(middleOfPieces(c.pieces))} has slanted walls; it is taken at the side that lies up.`,
    remedy: 'Turn the other side up if it is to be as wide as there.',
  });
  return c;
}

function countersunk({ choice, findings }: LaidSheet, c: SkinContour, other: SkinContour, [here, there]: [number, number]): SkinContour {
  const narrow = Math.min(here, there);
  const taken = choice.countersinks === 'through' ? narrow : here;
  const message = `A countersunk hole at ${placeText(middleOfPieces(c.pieces))}: Ø ${here.toFixed(2)} mm on the side that lies up, Ø ${there.toFixed(2)} mm on the other; Ø ${taken.toFixed(2)} mm is cut.`;
  findings.push({
    code: 'countersink',
    severity: taken > narrow + 1e-6 ? 'look' : 'clear',
    count: 1,
    message,
    remedy: taken > narrow + 1e-6 ? 'Take the narrowest (Countersinks) and sink it afterwards.' : 'Sink it afterwards.',
  });
  return taken === here ? c : other;
}

/** The border on the other side, brought to the up side through the thickness, on the flat; null over a bend or several borders. */
export function farContour({ top, skin, placed, choice, thick }: LaidSheet, { lower, far, patches }: FarBorder): SkinContour | null {
  if (patches.length !== 1 || skin.patches[patches[0]].kind !== 'wall') return null;
  const patch = patches[0];
  const face = skin.patches[patch].faces[0];
  const shift = scaled(normalAt(top, face, middleOfFace(top, face)), thick.value);
  const loops = chainsOf(top, lower);
  let best: SkinContour | null = null;
  for (const loop of loops) {
    const edges = loop.map((e) => top.edges[e]);
    if (edges.some((e) => !e.faces.some((f) => far.has(f)))) continue;
    const pieces: FlatPiece[] = [];
    const segments: Segment[] = [];
    let at = edges.length > 1 && edges[1].ends.includes(edges[0].ends[0]) && !edges[1].ends.includes(edges[0].ends[1]) ? edges[0].ends[1] : edges[0].ends[0];
    edges.forEach((edge, i) => {
      const own = edge.faces.find((f) => far.has(f))!;
      const beyond = top.faces[across(edge, own)]?.surface;
      const flat = flatOf(edge, skin.patches[patch].develop, placed.place[patch], { allowed: choice.deviation, shift, beyond });
      const turned = edge.ends[0] !== at;
      segments.push(...(turned ? flat.segments.map(reversed).reverse() : flat.segments));
      at = edge.ends[turned ? 0 : 1];
      pieces.push({ edge: loop[i], patch, ...flat });
    });
    const found = { contour: contourOf(segments, true), pieces };
    if (!best || Math.abs(areaOfContour(found.contour)) > Math.abs(areaOfContour(best.contour))) best = found;
  }
  return best;
}

/** Diameter of a contour that is one circle, mm; null for others. */
export function roundOf(contour: Contour): number | null {
  const [first] = contour.segments;
  if (!first || first.kind !== 'arc') return null;
  if (contour.segments.length === 1) return isFull(first) ? 2 * first.radius : null;
  const same = contour.segments.every(
    (s) => s.kind === 'arc' && Math.abs(s.radius - first.radius) < 1e-6 && Math.hypot(s.centre[0] - first.centre[0], s.centre[1] - first.centre[1]) < 1e-6,
  );
  return same ? 2 * first.radius : null;
}

export function middleOfPieces(pieces: FlatPiece[]): Vec3 {
  let n = 0;
  let sum: Vec3 = [0, 0, 0];
  for (const p of pieces) {
    if (p.edge < 0) continue;
    for (const t of [0, 0.25, 0.5, 0.75]) {
      const q = pointOn(p.course, t);
      sum = [sum[0] + q[0], sum[1] + q[1], sum[2] + q[2]];
      n++;
    }
  }
  return n === 0 ? sum : scaled(sum, 1 / n);
}
