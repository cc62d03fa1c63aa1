import type { SkinContour } from './pieces.ts';
import type { Contour } from '../curves/drawing.ts';
import { contourOf } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { distance, type P2, type Segment } from '../curves/segment.ts';
import { add, cross, scaled, unit, type Vec3 } from '../geometry/vector.ts';
import type { Laid, LaidSheet } from './lay-out.ts';
import { put, type FlatPiece } from './pieces.ts';
import { across, uprightRound } from './skin.ts';
import { heightOver, middleOfFace, normalAt, placeText, pointOn } from './topology.ts';

/** A bevelled or rounded edge of the outline: how far the part reaches beyond its up side there, mm. */
interface Bevel {
  piece: FlatPiece;
  by: number;
  out: P2;
}

/**
 * The blank as wide as the part is at its widest: straight edges whose cut leans or is rounded are moved out to where the part ends.
 * Told with a list; an edge that can't be moved (curved, or beside a curve) stays at the up side, and that is told too.
 */
export function widened(sheet: LaidSheet, c: SkinContour): SkinContour {
  const { top, skin, findings } = sheet;
  // Where the sheet is ripped the next wall goes on: that is no bevel.
  const ripped = new Set(skin.ripped.flatMap((r) => r.edges));
  const slanted = c.pieces.filter((p) => p.edge >= 0 && !ripped.has(p.edge) && !uprightRound(top, [p.edge], (e) => e.faces.find((f) => skin.patchOf[f] >= 0)!));
  if (slanted.length === 0) return c;
  const border = flattened(c.contour.segments, 0.01);
  const bevels = slanted.flatMap((piece): Bevel[] => {
    const found = reachBeyond(sheet, piece, border);
    return found ? [{ piece, ...found }] : [];
  });
  const moved = bevels.filter((b) => b.by > 1e-6);
  const contour = moved.length > 0 ? shifted(c, moved) : null;
  const taken = moved.length === 0 || contour !== null;
  const sizes = moved.map((b) => `${Number(b.by.toFixed(3))} mm at ${placeText(pointOn(b.piece.course, 0.5))}`);
  const left = slanted.length - bevels.length;
  findings.push({
    code: 'edges-bevelled',
    severity: 'look',
    count: slanted.length,
    message: `${slanted.length} ${slanted.length === 1 ? 'edge of the outline is' : 'edges of the outline are'} bevelled or rounded${sizes.length > 0 ? ` (${sizes.slice(0, 8).join('; ')}${sizes.length > 8 ? '; …' : ''})` : `, first at ${placeText(pointOn(slanted[0].course, 0.5))}`}; ${taken && left === 0 ? 'the blank takes the wider outline' : 'the outline is taken at the side that lies up'}.`,
    remedy: taken && left === 0 ? 'Bevel them after cutting.' : 'Turn the other side up if the sheet is to be as wide as there.',
  });
  if (contour === null || left > 0) return c;
  const pieces = c.pieces.map((p) => {
    const bevel = moved.find((b) => b.piece === p);
    return bevel ? outer(sheet, bevel, contour) : p;
  });
  return { contour, pieces };
}

/** How far the faces over a straight edge reach beyond it, seen along the wall's normal; null where that is not even along it. */
function reachBeyond({ top, skin, placed }: Laid, piece: FlatPiece, border: P2[]): { by: number; out: P2 } | null {
  const [line] = piece.segments;
  const patch = skin.patches[piece.patch];
  if (piece.segments.length !== 1 || line.kind !== 'line' || patch.kind !== 'wall') return null;
  const long = distance(line.a, line.b);
  const along: P2 = [(line.b[0] - line.a[0]) / long, (line.b[1] - line.a[1]) / long];
  let out: P2 = [along[1], -along[0]];
  const middle: P2 = [(line.a[0] + line.b[0]) / 2, (line.a[1] + line.b[1]) / 2];
  const step = Math.min(long, skin.thickness) * 1e-3;
  if (inside(border, [middle[0] + out[0] * step, middle[1] + out[1] * step])) out = [-out[0], -out[1]];
  const edge = top.edges[piece.edge];
  const g = across(
    edge,
    edge.faces.find((f) => skin.patchOf[f] === piece.patch)!,
  );
  if (g < 0) return null;
  // Along the edge in three thirds: how far out the face over it reaches in each.
  const most = [-Infinity, -Infinity, -Infinity];
  // A rim may run on over the other walls: only what lies within this sheet is its edge.
  const deep = skin.thickness * 1.02;
  const take = (p: Vec3) => {
    const depth = -(heightOver(top.faces[patch.faces[0]], p) ?? 0);
    if (depth < skin.thickness * -0.02 || depth > deep) return;
    const q = put(placed.place[piece.patch], patch.develop.at(p));
    const d: P2 = [q[0] - line.a[0], q[1] - line.a[1]];
    const t = (d[0] * along[0] + d[1] * along[1]) / long;
    if (t < -1e-6 || t > 1 + 1e-6) return;
    const third = Math.min(2, Math.max(0, Math.floor(t * 3)));
    most[third] = Math.max(most[third], d[0] * out[0] + d[1] * out[1]);
  };
  for (const e of top.faces[g].edges) for (let k = 0; k <= 24; k++) take(pointOn(top.edges[e].course, k / 24));
  const reached = most.filter(Number.isFinite);
  if (reached.length === 0) return null;
  const by = Math.max(...reached);
  return by - Math.min(...reached) > 1e-3 * Math.max(by, 1e-3) + 1e-4 ? null : { by: Math.max(0, by), out };
}

function inside(border: P2[], [x, y]: P2): boolean {
  let yes = false;
  for (let i = 0, j = border.length - 1; i < border.length; j = i++) {
    const [a, b] = [border[i], border[j]];
    if (a[1] > y !== b[1] > y && x < ((b[0] - a[0]) * (y - a[1])) / (b[1] - a[1]) + a[0]) yes = !yes;
  }
  return yes;
}

/** The contour with some of its lines moved out; corners are where neighbours meet then. Null where one of them is no line. */
function shifted({ contour, pieces }: SkinContour, bevels: readonly Bevel[]): Contour | null {
  const { segments } = contour;
  const n = segments.length;
  const near = (p: P2, q: P2) => distance(p, q) < 1e-6;
  const same = (l: Segment, s: Segment) => l.kind === 'line' && s.kind === 'line' && ((near(l.a, s.a) && near(l.b, s.b)) || (near(l.a, s.b) && near(l.b, s.a)));
  const by = segments.map((s): P2 => {
    const own = bevels.find(({ piece }) => same(piece.segments[0], s));
    return own ? [own.out[0] * own.by, own.out[1] * own.by] : [0, 0];
  });
  if (by.filter(([x, y]) => x !== 0 || y !== 0).length !== bevels.length) return null;
  // Across the end of a bend, walls end where their border meets the bend line that is drawn on.
  const bendLine = segments.map((s): P2 | null => pieces.find((p) => p.across && same(p.segments[0], s))?.across ?? null);
  const moves = (i: number) => by[i][0] !== 0 || by[i][1] !== 0;
  const corners: (P2 | null)[] = segments.map((s, i) => {
    const k = (i + 1) % n;
    if (!moves(i) && !moves(k)) return null;
    const t = segments[k];
    if (s.kind !== 'line' || t.kind !== 'line') return null;
    const [u, v]: P2[] = [
      (moves(k) ? bendLine[i] : null) ?? [s.b[0] - s.a[0], s.b[1] - s.a[1]],
      (moves(i) ? bendLine[k] : null) ?? [t.b[0] - t.a[0], t.b[1] - t.a[1]],
    ];
    const den = u[0] * v[1] - u[1] * v[0];
    if (Math.abs(den) < 1e-9 * Math.hypot(...u) * Math.hypot(...v)) return null;
    // Both run through the corner where they met.
    const from: P2 = [by[k][0] - by[i][0], by[k][1] - by[i][1]];
    const at = (from[0] * v[1] - from[1] * v[0]) / den;
    return [s.b[0] + by[i][0] + u[0] * at, s.b[1] + by[i][1] + u[1] * at];
  });
  for (let i = 0; i < n; i++) if (moves(i) && (corners[i] === null || corners[(i + n - 1) % n] === null)) return null;
  const made = segments.map((s, i): Segment => {
    const [a, b] = [corners[(i + n - 1) % n], corners[i]];
    return s.kind === 'line' ? { kind: 'line', a: a ?? s.a, b: b ?? s.b } : s;
  });
  return contourOf(made, true);
}

/** A bevelled edge where the part ends, brought to the up side along the wall's normal. */
function outer({ top, skin, placed }: Laid, { piece, by, out }: Bevel, contour: Contour): FlatPiece {
  const face = skin.patches[piece.patch].faces[0];
  const { surface } = top.faces[face];
  if (surface.kind !== 'plane') return piece;
  const x = unit(surface.frame.x);
  const y = cross(normalAt(top, face, middleOfFace(top, face)), x);
  const { c, s } = placed.place[piece.patch];
  // Back from the flat to the wall's own axes.
  const [u, v] = [c * out[0] + s * out[1], -s * out[0] + c * out[1]];
  const shift = add(scaled(x, u * by), scaled(y, v * by));
  const [line] = piece.segments;
  // Its ends are where the new corners are, as far as the edge itself goes.
  const [from, to] = line.kind === 'line' ? keptShare(line.a, line.b, [out[0] * by, out[1] * by], contour) : [0, 1];
  const ends = [from, to].map((t) => add(pointOn(piece.course, t), shift));
  const segments = piece.segments.map((l): Segment => (l.kind === 'line' ? { kind: 'line', a: [l.a[0] + out[0] * by, l.a[1] + out[1] * by], b: [l.b[0] + out[0] * by, l.b[1] + out[1] * by] } : l)); // prettier-ignore
  return { ...piece, segments, course: { kind: 'corners', points: Float64Array.from(ends.flat()) } };
}

/** The share of a moved line, from 0 to 1, that the new contour still has. */
function keptShare(a: P2, b: P2, by: P2, contour: Contour): [number, number] {
  const [p, along]: P2[] = [
    [a[0] + by[0], a[1] + by[1]],
    [b[0] - a[0], b[1] - a[1]],
  ];
  const long = along[0] ** 2 + along[1] ** 2;
  const share = (q: P2) => ((q[0] - p[0]) * along[0] + (q[1] - p[1]) * along[1]) / long;
  const off = (q: P2) => Math.abs((q[0] - p[0]) * along[1] - (q[1] - p[1]) * along[0]) / Math.sqrt(long);
  for (const s of contour.segments) {
    if (s.kind !== 'line' || off(s.a) > 1e-6 || off(s.b) > 1e-6) continue;
    const [low, high] = [share(s.a), share(s.b)].sort((m, n) => m - n);
    if (low < 0.5 && high > 0.5) return [Math.max(0, low), Math.min(1, high)];
  }
  return [0, 1];
}
