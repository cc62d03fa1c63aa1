import { contourOf, type Contour } from '../curves/drawing.ts';
import { dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { areaOf, middleOfFace, normalAt, pointOn, type Topology } from '../sheet/topology.ts';
import type { Placing } from './lie.ts';
import type { Countersink, EdgeHole, Mitre } from './panel.ts';
import { flat, heightOf, type Seen } from './project.ts';
import { facesTo, rounded, type Found } from './seen.ts';

/** What was drilled from one face: floors by depth, cones, and the volume of all that, mm3. */
interface Drilled {
  layers: { depth: number; contours: Contour[] }[];
  sinks: (Omit<Countersink, 'side' | 'count'> & { contour: Contour })[];
  volume: number;
  contours: Contour[];
}

/** Blind holes with a pointed or round bottom: upright round walls that begin in a face and end above the other, with no flat floor. */
export function drilled(top: Topology, it: Found, side: 'front' | 'back'): Drilled {
  const face = side === 'front' ? it.high : it.low;
  const layers: Drilled['layers'] = [];
  const sinks: Drilled['sinks'] = [];
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
    const at = flat(it.seen, surface.frame.at);
    if (inner || deep < it.near * 10) {
      // A countersink: a frustum from the face down to a narrower hole, or a cone by itself. No flat cutter makes it.
      const [r1, r2] = [rimRadius(top, i, it, rim), inner ? rimRadius(top, i, it, side === 'front' ? a : b) : 0];
      volume += (Math.PI * tip * (r1 * r1 + r1 * r2 + r2 * r2)) / 3 - Math.PI * r2 * r2 * tip;
      sinks.push({ diameter: rounded(2 * r1), angle: rounded((2 * Math.abs(surface.half) * 180) / Math.PI), depth: rounded(tip), contour: circleAt(at, r1) });
      if (deep < it.near * 10) continue;
      volume += Math.PI * (r1 * r1 - r2 * r2) * deep;
      layers.push({ depth: rounded(deep), contours: [circleAt(at, r1)] });
      continue;
    }
    volume += Math.PI * radius * radius * (deep + tip / 3);
    if (levels.some((l) => Math.abs(l.height - rim) < it.near)) continue;
    layers.push({ depth: rounded(deep), contours: [circleAt(at, radius)] });
  }
  return { layers, sinks, volume, contours: [...layers.flatMap((l) => l.contours), ...sinks.map((s) => s.contour)] };
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
export function edgeHoles(top: Topology, it: Found) {
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
  const holes = (seen: Seen, place: Placing): EdgeHole[] => {
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
export function mitres(top: Topology, it: Found): { list: Mitre[]; volume: number } {
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
