import type { Finding } from '../base/finding.ts';
import { areaOfContour, boxOfDrawing, type Contour } from '../curves/drawing.ts';
import { transformed } from '../curves/affine.ts';
import { nest } from '../curves/nest.ts';
import type { Segment } from '../curves/segment.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { cross, dot, sub, type Vec3 } from '../geometry/vector.ts';
import { middleOfFace, normalAt, pointOn, type Topology } from '../sheet/topology.ts';
import { borderOf } from './cover.ts';
import { drilled, edgeHoles, mitres } from './features.ts';
import { holesOf, placing, pocketsOf } from './lie.ts';
import type { Countersink, NoPanel, Panel } from './panel.ts';
import { projected, seenAlong, type Seen } from './project.ts';
import { areaWithin, facesTo, inDrawing, rounded, type Found, type Level } from './seen.ts';

/** Heights and places nearer than this share of the diagonal are the same; facets of a mesh are rounded to float32. */
const nearShare = 1e-7;
const nearShareOfMesh = 4e-6;
/** Directions within this of parallel or square are it. */
const square = 1e-6;
const squareOfMesh = 2e-4;
/** A panel is at most so thick as a share of its width; beyond it is a bar or a block. */
const mostThick = 0.75;
/** So much of each side must lie in its face: pockets take the rest. */
const leastFace = 0.2;
/** What the features leave unexplained, as a share of the volume: under the first it is all told, over the second it is no panel. */
const toldShare = 2e-4;
const noPanelShare = 0.03;
/** Faces looked at; a part with more is no panel that a saw or router makes. */
const mostFaces = 6000;

const isNot = (why: string): NoPanel => ({ why });

/**
 * The panel that a part is, or why it is none. Two parallel faces as far apart as the part is thick; between them upright walls, floors of pockets, holes
 * in the edges and sides that lean. What the outline, pockets and holes add up to is held against the part's volume, which knows nothing of them.
 * @param volume of the part, mm3; taken from its facets when null
 * @example recognisePanel(topologyOf(solid, facets), summary.volume)
 */
export function recognisePanel(top: Topology, volume: number | null): Panel | NoPanel {
  if (top.faces.length > mostFaces) return isNot(`It has ${top.faces.length.toLocaleString('en')} faces: no saw or router makes that of a sheet.`);
  if (top.bodies > 1) return isNot(`It is ${top.bodies} bodies in one part: divide it first.`);
  const whole = volume ?? measureMesh(top.mesh).volume;
  if (!(whole > 0)) return isNot('It is not closed, so it has no thickness.');
  let first: NoPanel | null = null;
  for (const n of directions(top)) {
    const found = alongDirection(top, n, whole);
    if (!('why' in found)) return found;
    first ??= found;
  }
  return first ?? isNot('It has no flat face.');
}

/** Directions of the largest flat faces, at most three that are not parallel. */
function directions(top: Topology): Vec3[] {
  const flats = top.faces.map((f, i) => ({ i, f })).filter(({ f }) => f.surface.kind === 'plane').sort((a, b) => b.f.area - a.f.area); // prettier-ignore
  const out: Vec3[] = [];
  for (const { i } of flats.slice(0, 40)) {
    const n = normalAt(top, i, middleOfFace(top, i));
    if (out.every((m) => Math.abs(dot(m, n)) < 0.999)) out.push(n);
    if (out.length === 3) break;
  }
  return out;
}

function alongDirection(top: Topology, n: Vec3, volume: number): Panel | NoPanel {
  const near = Math.max(1e-6, top.diagonal * (top.exact ? nearShare : nearShareOfMesh));
  const even = top.exact ? square : squareOfMesh;
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < top.mesh.positions.length; i += 3) {
    const h = top.mesh.positions[i] * n[0] + top.mesh.positions[i + 1] * n[1] + top.mesh.positions[i + 2] * n[2];
    low = Math.min(low, h);
    high = Math.max(high, h);
  }
  const up: Level[] = [];
  const down: Level[] = [];
  const leaning: number[] = [];
  const odd: number[] = [];
  top.faces.forEach((f, i) => {
    if (f.triangles.length === 0) return;
    if (f.surface.kind === 'plane') {
      const m = normalAt(top, i, middleOfFace(top, i));
      const c = dot(m, n);
      const height = dot(f.surface.frame.at, n);
      if (c > 1 - even) up.push({ face: i, height });
      else if (c < -1 + even) down.push({ face: i, height });
      else if (Math.abs(c) > even) leaning.push(i);
      return;
    }
    if (f.surface.kind === 'cylinder' && Math.abs(Math.abs(dot(f.surface.frame.z, n)) - 1) < even) return;
    odd.push(i);
  });
  // Facets are rounded; the faces themselves say where they are.
  const [topmost, lowest] = [Math.max(...up.map((l) => l.height)), Math.min(...down.map((l) => l.height))];
  if (Math.abs(topmost - high) < near * 50) high = topmost;
  if (Math.abs(lowest - low) < near * 50) low = lowest;
  const thickness = high - low;
  const frontArea = sum(up.filter((l) => high - l.height < near * 10).map((l) => top.faces[l.face].area));
  const backArea = sum(down.filter((l) => l.height - low < near * 10).map((l) => top.faces[l.face].area));
  if (frontArea === 0 || backArea === 0) return isNot('It has no two parallel flat faces as far apart as it is thick.');
  const seenFirst = seenAlong(n, longestEdge(top, n) ?? sideways(n));
  const shape = outlineOf(top, n, seenFirst, near);
  if (!shape) return isNot('Its outline does not close when it is seen from its largest face.');
  const area = areaWithin(shape);
  if (Math.min(frontArea, backArea) < leastFace * area) return isNot('Its two faces are no flat sides of a sheet: most of it is shaped.');
  const found = describe(top, { n, low, high, near, even, up, down, leaning, odd, seen: seenFirst, outline: shape, area, volume });
  if (thickness > mostThick * found.width) {
    const size = [found.length, found.width, thickness].map((v) => Number(v.toFixed(1))).join(' × ');
    return isNot(thickness > 0.95 * found.length ? `It is a block of ${size} mm, no panel.` : `It is a bar of ${size} mm, no panel: cut it to length.`);
  }
  const off = Math.abs(found.told - volume) / volume;
  if (off > noPanelShare)
    return isNot(`Its outline, pockets and holes account for all but ${(off * 100).toFixed(0)} % of its volume: it is bent, hollow or shaped all over.`);
  if (off > toldShare) {
    found.findings.push({
      code: 'shape-not-told',
      severity: 'look',
      count: 1,
      message: `${Math.abs(found.told - volume).toFixed(0)} mm³ of its shape (${(off * 100).toFixed(2)} %) is in no outline, pocket or hole: rounded or bevelled edges, or free forms.`,
      remedy: 'Look at it, and write down what is to be done to it in the notes.',
    });
  }
  return found;
}

const sum = (list: readonly number[]): number => list.reduce((n, v) => n + v, 0);
const sideways = (n: Vec3): Vec3 => (Math.abs(n[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0]);

function longestEdge(top: Topology, n: Vec3): Vec3 | null {
  let best: Vec3 | null = null;
  let most = 0;
  for (const e of top.edges) {
    if (!e.straight) continue;
    const along = sub(pointOn(e.course, 1), pointOn(e.course, 0));
    const flatLength = Math.hypot(...cross(along, n));
    if (flatLength > most) [best, most] = [along, flatLength];
  }
  return best;
}

/** The border of all that is seen from one side; null when it does not close. */
function outlineOf(top: Topology, n: Vec3, seen: Seen, near: number): Contour[] | null {
  const facing = top.faces.map((f, i) => ({ f, i })).filter(({ f, i }) => f.triangles.length > 0 && facesTo(top, i, n));
  const faces = new Set(facing.map(({ i }) => i));
  const pieces: Segment[] = [];
  for (const { f, i } of facing)
    for (const e of f.edges) {
      const others = top.edges[e].faces.filter((g) => g !== i);
      // Between two faces that are both seen, and at seams, there is no border.
      if (others.length === 0 || others.some((g) => faces.has(g))) continue;
      pieces.push(...projected(top, { e, face: i }, seen, near));
    }
  const contours = borderOf(pieces, near * 2);
  return contours.length > 0 && contours.every((c) => c.closed) ? contours : null;
}

/** A floor below a face: how deep, and its border. */
interface Floor {
  depth: number;
  contours: Contour[];
  area: number;
}

function floorsOf(top: Topology, levels: readonly Level[], face: number, { seen, near }: Found): Floor[] {
  const byDepth = new Map<number, number[]>();
  for (const { face: f, height } of levels) {
    const depth = Math.abs(face - height);
    if (depth < near * 10) continue;
    const known = [...byDepth.keys()].find((d) => Math.abs(d - depth) < near * 20);
    if (known === undefined) byDepth.set(depth, [f]);
    else byDepth.get(known)!.push(f);
  }
  return [...byDepth].map(([depth, faces]) => {
    const own = new Set(faces);
    const pieces = faces.flatMap((i) => top.faces[i].edges.flatMap((e) => (top.edges[e].faces.every((g) => own.has(g)) ? [] : projected(top, { e, face: i }, seen, near))));
    const contours = borderOf(pieces, near * 2).filter((c) => c.closed);
    return { depth: rounded(depth), contours, area: areaWithin(contours) };
  }).sort((a, b) => a.depth - b.depth); // prettier-ignore
}

/** A floor's border without what opens in it: a hole that goes on is there already. What stands in it, an island, stays. */
function withoutOpenings(floor: Floor, all: readonly Contour[], near: number): Floor {
  const inner = new Set(nest(inDrawing(floor.contours)).filter((n) => n.depth % 2 === 1).map((n) => floor.contours[n.contour])); // prettier-ignore
  const same = (a: Contour, b: Contour) => {
    const [p, q] = [boxOfDrawing(inDrawing([a])), boxOfDrawing(inDrawing([b]))];
    return p.every((v, k) => Math.abs(v - q[k]) < near * 20) && Math.abs(areaWithin([a]) - areaWithin([b])) < near * 20 * (p[2] - p[0] + p[3] - p[1]);
  };
  return { ...floor, contours: floor.contours.filter((c) => !inner.has(c) || !all.some((o) => o !== c && same(o, c))) };
}

function describe(top: Topology, it: Found): Panel {
  const thickness = rounded(it.high - it.low);
  let front = floorsOf(top, it.up, it.high, it);
  let back = floorsOf(top, it.down, it.low, it);
  const drilledUp = drilled(top, it, 'front');
  const drilledDown = drilled(top, it, 'back');
  const opened = [...it.outline, ...front.flatMap((f) => f.contours), ...back.flatMap((f) => f.contours)];
  front = front.map((f) => withoutOpenings(f, opened, it.near));
  back = back.map((f) => withoutOpenings(f, opened, it.near));
  const edge = edgeHoles(top, it);
  const lean = mitres(top, it);
  const told =
    it.area * thickness -
    sum(front.map((f) => f.area * f.depth)) -
    sum(back.map((f) => f.area * f.depth)) -
    drilledUp.volume -
    drilledDown.volume -
    edge.volume -
    lean.volume;
  // It lies with the face up that has more to be worked, its longer side along X.
  const work = (list: Floor[], holes: { contours: Contour[] }) => list.reduce((n, f) => n + f.contours.length, holes.contours.length);
  const turned = work(back, drilledDown) > work(front, drilledUp);
  let fronts = [...front.map(({ depth, contours }) => ({ depth, contours })), ...drilledUp.layers];
  let backs = [...back.map(({ depth, contours }) => ({ depth, contours })), ...drilledDown.layers];
  if (turned) [fronts, backs, front, back] = [backs, fronts, back, front];
  const place = placing(it.outline, turned);
  const put = (list: Contour[]) => list.map((c) => ({ ...c, segments: c.segments.map((s) => transformed(s, place.map)) }));
  const layersOf = (list: { depth: number; contours: Contour[] }[]) => mergedDepths(list.map((l) => ({ depth: l.depth, contours: put(l.contours) })));
  const outline = put(it.outline).sort((a, b) => Math.abs(areaOfContour(b)) - Math.abs(areaOfContour(a)));
  const cones = [...drilledUp.sinks.map((s) => ({ ...s, side: sideOf(turned) })), ...drilledDown.sinks.map((s) => ({ ...s, side: sideOf(!turned) }))];
  const sunk = (['front', 'back'] as const).map((side) => ({ side, contours: put(cones.filter((c) => c.side === side).map((c) => c.contour)) }));
  const panel: Panel = {
    thickness,
    length: rounded(place.length),
    width: rounded(place.width),
    outline,
    front: layersOf(fronts),
    back: layersOf(backs),
    sunk: sunk.filter((s) => s.contours.length > 0),
    countersinks: countersinksOf(cones),
    holes: [],
    pockets: [],
    edgeHoles: edge.holes(it.seen, place),
    mitres: lean.list,
    area: it.area,
    volume: it.volume,
    told,
    findings: [],
  };
  panel.holes = holesOf(panel);
  panel.pockets = pocketsOf(panel);
  if (panel.back.length > 0) panel.findings.push(onTheBack(panel));
  if (panel.edgeHoles.length > 0) panel.findings.push(inTheEdges(panel));
  if (panel.countersinks.length > 0) panel.findings.push(toBeSunk(panel));
  return panel;
}

const sideOf = (turned: boolean): 'front' | 'back' => (turned ? 'back' : 'front');

/** Cones that are alike, counted. */
function countersinksOf(cones: readonly Omit<Countersink, 'count'>[]): Countersink[] {
  const out: Countersink[] = [];
  for (const { diameter, angle, depth, side } of cones) {
    const same = out.find((c) => c.side === side && [c.diameter - diameter, c.angle - angle, c.depth - depth].every((d) => Math.abs(d) < 1e-3));
    if (same) same.count++;
    else out.push({ diameter, angle, depth, side, count: 1 });
  }
  return out.sort((a, b) => Number(a.side === 'back') - Number(b.side === 'back') || a.diameter - b.diameter || a.angle - b.angle);
}

const toBeSunk = ({ countersinks: list }: Panel): Finding => ({
  code: 'countersinks',
  severity: 'look',
  count: sum(list.map((c) => c.count)),
  message: `${many(sum(list.map((c) => c.count)), 'countersunk hole is', 'countersunk holes are')} marked and not cut: ${list.map((c) => `${c.count} of ${Number(c.diameter.toFixed(2))} mm at ${Number(c.angle.toFixed(1))}°${c.side === 'back' ? ', on the back' : ''}`).join('; ')}.`,
  remedy: 'Sink them with a tool of that angle; the hole below is cut.',
});

const many = (n: number, one: string, more: string): string => `${n.toLocaleString('en')} ${n === 1 ? one : more}`;

const onTheBack = ({ back }: Panel): Finding => ({
  code: 'back-side',
  severity: 'look',
  count: sum(back.map((b) => b.contours.length)),
  message: `${many(sum(back.map((b) => b.contours.length)), 'pocket or hole is', 'pockets or holes are')} on its back: it has to be turned over.`,
  remedy: 'They are drawn dashed on layers of their own and not cut from the front.',
});

const inTheEdges = ({ edgeHoles: list }: Panel): Finding => ({
  code: 'edge-holes',
  severity: 'look',
  count: sum(list.map((h) => h.count)),
  message: `${many(sum(list.map((h) => h.count)), 'hole in its edges needs', 'holes in its edges need')} another set-up: ${list.map((h) => `${h.count} of ${Number(h.diameter.toFixed(2))} mm, ${Number(h.depth.toFixed(2))} mm deep, ${h.edge}`).join('; ')}.`,
  remedy: 'Drill them on their own; no sheet file can hold them.',
});

function mergedDepths(list: { depth: number; contours: Contour[] }[]): { depth: number; contours: Contour[] }[] {
  const out: { depth: number; contours: Contour[] }[] = [];
  for (const l of [...list].sort((a, b) => a.depth - b.depth)) {
    const last = out[out.length - 1];
    if (last && Math.abs(last.depth - l.depth) < 1e-4) last.contours.push(...l.contours);
    else out.push({ depth: l.depth, contours: [...l.contours] });
  }
  return out;
}
