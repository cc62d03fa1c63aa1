import type { Finding } from '../base/finding.ts';
import { smallestBoxTurn } from '../beds/layout.ts';
import { areaOfContour, boxOfDrawing, contourOf, emptyDrawing, type Contour } from '../curves/drawing.ts';
import { transformed, type Affine } from '../curves/affine.ts';
import { flattened } from '../curves/flatten.ts';
import { nest, netArea } from '../curves/nest.ts';
import { isFull, type Segment } from '../curves/segment.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { cross, dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { areaOf, middleOfFace, normalAt, pointOn, type Topology } from '../sheet/topology.ts';
import { borderOf } from './cover.ts';
import { flat, heightOf, projected, seenAlong, type Seen } from './project.ts';
import type { EdgeHole, Mitre, NoPanel, Panel, PanelHole, PanelPocket } from './panel.ts';

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

interface Level {
  face: number;
  height: number;
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

/** Whether all of a face is seen against a direction. Upright walls are not. */
function facesTo(top: Topology, i: number, n: Vec3): boolean {
  const { surface, triangles } = top.faces[i];
  if (surface.kind === 'plane') return dot(normalAt(top, i, middleOfFace(top, i)), n) > 1e-4;
  if (surface.kind === 'cylinder' && Math.abs(Math.abs(dot(surface.frame.z, n)) - 1) < 1e-4) return false;
  // Round faces: by their facets, all of which must be turned to it.
  const { positions: p, triangles: t } = top.mesh;
  for (const k of triangles) {
    const [a, b, c] = [t[k * 3] * 3, t[k * 3 + 1] * 3, t[k * 3 + 2] * 3];
    const m = cross([p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]], [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]]);
    if (dot(m, n) < -1e-3 * Math.hypot(...m)) return false;
  }
  return true;
}

const inDrawing = (contours: Contour[]) => ({ ...emptyDrawing(), layers: [{ name: 'x', colour: null, lineType: 'CONTINUOUS', contours }] });
const areaWithin = (contours: Contour[]): number => netArea(nest(inDrawing(contours)));

interface Found {
  n: Vec3;
  low: number;
  high: number;
  near: number;
  even: number;
  up: Level[];
  down: Level[];
  leaning: number[];
  odd: number[];
  seen: Seen;
  outline: Contour[];
  area: number;
  volume: number;
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

/** Figures of exact solids come with a rounding of the last digits only. */
const rounded = (v: number): number => Number(v.toFixed(6));

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
  const panel: Panel = {
    thickness,
    length: rounded(place.length),
    width: rounded(place.width),
    outline,
    front: layersOf(fronts),
    back: layersOf(backs),
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
  return panel;
}

const onTheBack = ({ back }: Panel): Finding => ({
  code: 'back-side',
  severity: 'look',
  count: sum(back.map((b) => b.contours.length)),
  message: `${sum(back.map((b) => b.contours.length))} pockets or holes are on its back: it has to be turned over.`,
  remedy: 'They are drawn dashed on layers of their own and not cut from the front.',
});

const inTheEdges = ({ edgeHoles: list }: Panel): Finding => ({
  code: 'edge-holes',
  severity: 'look',
  count: sum(list.map((h) => h.count)),
  message: `${sum(list.map((h) => h.count))} holes in its edges need another set-up: ${list.map((h) => `${h.count} of ${Number(h.diameter.toFixed(2))} mm, ${Number(h.depth.toFixed(2))} mm deep, ${h.edge}`).join('; ')}.`,
  remedy: 'Drill them on their own; no sheet file can hold them.',
});

/** Turn, mirror and shift that lay the outline with its longer side along X and its low left corner at zero. */
function placing(outline: readonly Contour[], mirrored: boolean): { map: Affine; length: number; width: number } {
  const side = mirrored ? -1 : 1;
  const points = outline.flatMap((c) => flattened(c.segments, 0.05)).map(([x, y]): [number, number] => [side * x, y]);
  const turn = smallestBoxTurn(points);
  const boxAt = (degrees: number) => {
    const a = (degrees * Math.PI) / 180;
    const [c, s] = exactTurn(degrees, a);
    const map: Affine = [c * side, s * side, -s, c, 0, 0];
    const box = boxOfDrawing(inDrawing(outline.map((o) => ({ ...o, segments: o.segments.map((q) => transformed(q, map)) }))));
    return { map, box, length: box[2] - box[0], width: box[3] - box[1] };
  };
  // Straight as it stands unless a turn makes its box smaller by more than rounding.
  const as = [boxAt(0), ...(turn === 0 ? [] : [boxAt(turn)])].reduce((a, b) => (b.length * b.width < a.length * a.width * (1 - 1e-9) ? b : a));
  const across = as.width > as.length + 1e-9;
  const { map, box } = across ? boxAt(angleOf(as.map, side) + 90) : as;
  return { map: [map[0], map[1], map[2], map[3], -box[0], -box[1]], length: box[2] - box[0], width: box[3] - box[1] };
}

const exactTurn = (degrees: number, a: number): [number, number] => (degrees % 90 === 0 ? ([[1, 0], [0, 1], [-1, 0], [0, -1]] as [number, number][])[((degrees / 90) % 4 + 4) % 4] : [Math.cos(a), Math.sin(a)]); // prettier-ignore
const angleOf = (m: Affine, side: number): number => {
  const d = (Math.atan2(m[1] * side, m[0] * side) * 180) / Math.PI;
  return Math.abs(d - Math.round(d / 90) * 90) < 1e-9 ? Math.round(d / 90) * 90 : d;
};

function mergedDepths(list: { depth: number; contours: Contour[] }[]): { depth: number; contours: Contour[] }[] {
  const out: { depth: number; contours: Contour[] }[] = [];
  for (const l of [...list].sort((a, b) => a.depth - b.depth)) {
    const last = out[out.length - 1];
    if (last && Math.abs(last.depth - l.depth) < 1e-4) last.contours.push(...l.contours);
    else out.push({ depth: l.depth, contours: [...l.contours] });
  }
  return out;
}

/** Blind holes with a pointed or round bottom: upright round walls that begin in a face and end above the other, with no flat floor. */
function drilled(top: Topology, it: Found, side: 'front' | 'back') {
  const face = side === 'front' ? it.high : it.low;
  const layers: { depth: number; contours: Contour[] }[] = [];
  let volume = 0;
  const levels = side === 'front' ? it.up : it.down;
  for (const i of it.odd) {
    const { surface } = top.faces[i];
    if (surface.kind !== 'cone' || top.faces[i].sign > 0 || Math.abs(Math.abs(dot(surface.frame.z, it.n)) - 1) > it.even) continue;
    if (facesTo(top, i, it.n) !== (side === 'front')) continue;
    const [a, b] = heightsOfFace(top, i, it.n);
    // A point at the bottom of a hole: from the height of its rim to its tip.
    const rim = side === 'front' ? b : a;
    const deep = Math.abs(face - rim);
    const tip = Math.abs(b - a);
    const radius = tip * Math.tan(Math.abs(surface.half));
    const inner = Math.abs(radius - rimRadius(top, i, it, rim)) > 1e-3;
    if (inner) {
      // A countersink: a frustum from the face down to a narrower hole.
      const [r1, r2] = [rimRadius(top, i, it, rim), rimRadius(top, i, it, side === 'front' ? a : b)];
      volume += (Math.PI * tip * (r1 * r1 + r1 * r2 + r2 * r2)) / 3 - Math.PI * r2 * r2 * tip;
      if (deep > it.near * 10) volume += Math.PI * (r1 * r1 - r2 * r2) * deep;
      const at = flat(it.seen, surface.frame.at);
      layers.push({ depth: rounded(deep + tip), contours: [circleAt(at, r1)] });
      continue;
    }
    volume += Math.PI * radius * radius * (deep + tip / 3);
    if (levels.some((l) => Math.abs(l.height - rim) < it.near)) continue;
    layers.push({ depth: rounded(deep), contours: [circleAt(flat(it.seen, surface.frame.at), radius)] });
  }
  return { layers, volume, contours: layers.flatMap((l) => l.contours) };
}

const circleAt = (centre: [number, number], radius: number): Contour => contourOf([{ kind: 'arc', centre, radius, start: 0, sweep: 2 * Math.PI }], true);

function heightsOfFace(top: Topology, i: number, n: Vec3): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const t of top.faces[i].triangles)
    for (let k = 0; k < 3; k++) {
      const v = top.mesh.triangles[t * 3 + k] * 3;
      const h = top.mesh.positions[v] * n[0] + top.mesh.positions[v + 1] * n[1] + top.mesh.positions[v + 2] * n[2];
      low = Math.min(low, h);
      high = Math.max(high, h);
    }
  return [low, high];
}

/** Radius of a cone's border at a height, by its edges. */
function rimRadius(top: Topology, i: number, it: Found, height: number): number {
  const { surface } = top.faces[i];
  if (surface.kind !== 'cone') return 0;
  const centre = flat(it.seen, surface.frame.at);
  for (const e of top.faces[i].edges) {
    const p = pointOn(top.edges[e].course, 0.5);
    if (Math.abs(heightOf(it.seen, p) - height) > it.near * 20) continue;
    const q = flat(it.seen, p);
    return Math.hypot(q[0] - centre[0], q[1] - centre[1]);
  }
  return 0;
}

/** Round holes whose axis lies in the panel. */
function edgeHoles(top: Topology, it: Found) {
  const found = new Map<string, { at: Vec3; along: Vec3; r: number; from: number; to: number }>();
  for (const i of it.odd) {
    const { surface, sign } = top.faces[i];
    if (surface.kind !== 'cylinder' || sign > 0 || Math.abs(dot(surface.frame.z, it.n)) > it.even * 10) continue;
    const z = unit(surface.frame.z);
    const foot = sub(surface.frame.at, scaled(z, dot(surface.frame.at, z)));
    const key = [...foot.map((v) => Math.round(v * 100)), Math.round(surface.r * 1000)].join(' ');
    const [from, to] = heightsOfFace(top, i, z);
    const known = found.get(key);
    if (known && dot(known.along, z) > 0 && from <= known.to + it.near && to >= known.from - it.near)
      [known.from, known.to] = [Math.min(known.from, from), Math.max(known.to, to)];
    else found.set(known ? `${key} ${found.size}` : key, { at: foot, along: z, r: surface.r, from, to });
  }
  let volume = 0;
  for (const h of found.values()) volume += Math.PI * h.r * h.r * (h.to - h.from);
  for (const i of it.odd) {
    const { surface, sign } = top.faces[i];
    if (surface.kind !== 'cone' || sign > 0 || Math.abs(dot(surface.frame.z, it.n)) > it.even * 10) continue;
    const [a, b] = heightsOfFace(top, i, unit(surface.frame.z));
    volume += (Math.PI * (Math.abs(b - a) * Math.tan(surface.half)) ** 2 * Math.abs(b - a)) / 3;
  }
  const holes = (seen: Seen, place: ReturnType<typeof placing>): EdgeHole[] => {
    const list: EdgeHole[] = [];
    const at = (p: Vec3): [number, number] => {
      const [x, y] = flat(seen, p);
      return [place.map[0] * x + place.map[2] * y + place.map[4], place.map[1] * x + place.map[3] * y + place.map[5]];
    };
    for (const h of found.values()) {
      const ends = [h.from, h.to].map((t) => at([h.at[0] + h.along[0] * t, h.at[1] + h.along[1] * t, h.at[2] + h.along[2] * t]));
      const edge = edgeOf(ends, place.length, place.width, it.near * 100);
      const [diameter, depth] = [rounded(2 * h.r), rounded(h.to - h.from)];
      const same = list.find((o) => o.edge === edge && Math.abs(o.diameter - diameter) < 1e-3 && Math.abs(o.depth - depth) < 1e-2);
      if (same) same.count++;
      else list.push({ edge, diameter, depth, count: 1 });
    }
    return list.sort((a, b) => (a.edge < b.edge ? -1 : a.edge > b.edge ? 1 : a.diameter - b.diameter));
  };
  return { volume, holes };
}

/** Which edge a hole begins in, as the panel lies: left and right at the ends of its length, front and back along it. */
function edgeOf(ends: [number, number][], length: number, width: number, near: number): EdgeHole['edge'] {
  if (ends.some(([x]) => x < near)) return 'left';
  if (ends.some(([x]) => x > length - near)) return 'right';
  if (ends.some(([, y]) => y < near)) return 'front';
  return ends.some(([, y]) => y > width - near) ? 'back' : 'slanted';
}

/** Sides that lean: what the bevel takes away of an upright side is a prism over its height. */
function mitres(top: Topology, it: Found): { list: Mitre[]; volume: number } {
  const list: Mitre[] = [];
  let volume = 0;
  for (const i of it.leaning) {
    const m = normalAt(top, i, middleOfFace(top, i));
    const lean = Math.asin(Math.min(1, Math.abs(dot(m, it.n))));
    const [a, b] = heightsOfFace(top, i, it.n);
    // By its facets, which are exact for a flat face: the volume between it and the face it looks away from.
    const up = dot(m, it.n) > 0;
    let [flatArea, moment] = [0, 0];
    for (const t of top.faces[i].triangles) {
      const own = Uint32Array.of(t);
      const seen = areaOf(top.mesh, own) * Math.abs(dot(m, it.n));
      let height = 0;
      for (let k = 0; k < 3; k++) {
        const v = top.mesh.triangles[t * 3 + k] * 3;
        height += (top.mesh.positions[v] * it.n[0] + top.mesh.positions[v + 1] * it.n[1] + top.mesh.positions[v + 2] * it.n[2]) / 3;
      }
      flatArea += seen;
      moment += seen * (up ? it.high - height : height - it.low);
    }
    volume += moment;
    const run = (b - a) / Math.cos(lean);
    const length = run > 0 ? top.faces[i].area / run : 0;
    if (flatArea > 0) list.push({ angle: Number(((lean * 180) / Math.PI).toFixed(3)), length: rounded(length) });
  }
  return { list, volume };
}

/** Holes by diameter, side and depth: circles among openings and floors. */
function holesOf(panel: Panel): PanelHole[] {
  const holes: PanelHole[] = [];
  const take = (contours: readonly Contour[], depth: number | null, side: 'front' | 'back') => {
    for (const { segments } of contours) {
      const [s] = segments;
      if (segments.length !== 1 || s.kind !== 'arc' || !isFull(s)) continue;
      const diameter = rounded(2 * s.radius);
      const same = holes.find((h) => Math.abs(h.diameter - diameter) < 1e-3 && h.depth === depth && h.side === side);
      if (same) same.count++;
      else holes.push({ diameter, depth, side, count: 1 });
    }
  };
  take(panel.outline.slice(1), null, 'front');
  for (const { depth, contours } of panel.front) take(contours, depth, 'front');
  for (const { depth, contours } of panel.back) take(contours, depth, 'back');
  return holes.sort((a, b) => a.diameter - b.diameter || (a.depth ?? Infinity) - (b.depth ?? Infinity));
}

/** What is no round hole: pockets, grooves and rebates by their boxes. */
function pocketsOf(panel: Panel): PanelPocket[] {
  const list: PanelPocket[] = [];
  const take = (layers: Panel['front'], side: 'front' | 'back') => {
    for (const { depth, contours } of layers)
      for (const c of contours) {
        if (c.segments.length === 1 && c.segments[0].kind === 'arc') continue;
        // What lies in it (an island) is no pocket of its own.
        const box = boxOfDrawing(inDrawing([c]));
        if (contours.some((o) => o !== c && areaWithin([o]) > areaWithin([c]) && holds(boxOfDrawing(inDrawing([o])), box))) continue;
        const [w, h] = [box[2] - box[0], box[3] - box[1]];
        const near = 1e-3;
        const ends = [box[0] < near, box[2] > panel.length - near, box[1] < near, box[3] > panel.width - near];
        const kind =
          (ends[0] && ends[1]) || (ends[2] && ends[3]) || Math.max(w, h) > 4 * Math.min(w, h)
            ? along(ends, w >= h)
              ? 'rebate'
              : 'groove'
            : ends.some(Boolean)
              ? 'rebate'
              : 'pocket';
        const [length, width] = [rounded(Math.max(w, h)), rounded(Math.min(w, h))];
        const same = list.find(
          (p) => p.kind === kind && p.depth === depth && p.side === side && Math.abs(p.length - length) < 1e-3 && Math.abs(p.width - width) < 1e-3,
        );
        if (same) same.count++;
        else list.push({ kind, depth, side, length, width, count: 1 });
      }
  };
  take(panel.front, 'front');
  take(panel.back, 'back');
  return list;
}

/** Whether something long lies along an edge: it is open on its long side. */
const along = ([left, right, low, high]: boolean[], lying: boolean): boolean => (lying ? low !== high : left !== right);
const holds = (a: readonly number[], b: readonly number[]): boolean => a[0] <= b[0] + 1e-6 && a[1] <= b[1] + 1e-6 && a[2] >= b[2] - 1e-6 && a[3] >= b[3] - 1e-6;
