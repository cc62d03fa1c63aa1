import type { Rip } from './asked.ts';
import type { Hinge, Loop, Patch, Skin } from './hinges.ts';
import { cross, dot, lengthOf, sub, unit, type Vec3 } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';
import { developmentOf, type Development } from './develop.ts';
import { faceText, heightOver, middleOfFace, normalAt, placeText, pointOn, type Topology, type TopologyEdge } from './topology.ts';
import type { Thickness } from './thickness.ts';
import type { P2 } from '../curves/segment.ts';
import { ripSkin } from './rip.ts';

const smooth = Math.cos((1 * Math.PI) / 180);
const upright = Math.sin((2 * Math.PI) / 180);
/** Share of a face's area that must have the sheet's other side behind it. */
const pairedShare = 0.5;

/** The face on the other side of an edge, or -1 at an open or seam edge. */
export const across = (edge: TopologyEdge, face: number): number => edge.faces.find((g) => g !== face) ?? -1;

/** Whether a face is a side of the sheet: the other side lies behind it. */
function isSheet(top: Topology, thick: Thickness, face: number): boolean {
  const { surface, sign } = top.faces[face];
  if (!['plane', 'cylinder', 'cone'].includes(surface.kind)) return false;
  // Outside of a bend whose inside is sharp: its axis is the edge behind it.
  if (surface.kind === 'cylinder' && sign > 0 && Math.abs(surface.r - thick.value) <= 0.02 * thick.value && top.faces[face].area > 0) return true;
  return thick.paired[face] >= pairedShare;
}

/** How far faces may be off and still be the same surface, mm. */
export const sameWithin = (top: Topology): number => Math.max(1e-5, top.diagonal * 1e-7, ...top.faces.map((f) => f.fit * 2));

function sameSurface(top: Topology, f: number, g: number, within: number): boolean {
  const [a, b] = [top.faces[f].surface, top.faces[g].surface];
  if (a.kind !== b.kind || !['plane', 'cylinder', 'cone'].includes(a.kind)) return false;
  if (a.kind === 'cylinder' && b.kind === 'cylinder' && Math.abs(a.r - b.r) > within) return false;
  if (a.kind === 'cone' && b.kind === 'cone' && Math.abs(Math.abs(a.half) - Math.abs(b.half)) > 1e-6) return false;
  const course = top.edges[top.faces[g].edges[0]];
  const mid = course ? pointOn(course.course, 0.37) : middleOfFace(top, g);
  if (dot(normalAt(top, f, mid), normalAt(top, g, mid)) < smooth) return false;
  return top.faces[g].edges.every((e) =>
    [0, 0.31, 0.69].every((t) => Math.abs(heightOver(top.faces[f], pointOn(top.edges[e].course, t)) ?? Infinity) <= within),
  );
}

/** A sheet and how thick it is. */
interface Measured {
  top: Topology;
  thick: Thickness;
}

/** The skin as far as it was followed: the patch of each face, -1 for those not reached. */
interface Followed extends Measured {
  patchOf: Int32Array;
}

/** The faces of one surface that hang together with the first, taken into a patch. */
function facesLike({ top, patchOf }: Followed, first: number, patch: number, within: number): number[] {
  const faces = [first];
  patchOf[first] = patch;
  for (let i = 0; i < faces.length; i++) {
    for (const e of top.faces[faces[i]].edges) {
      const g = across(top.edges[e], faces[i]);
      if (g < 0 || patchOf[g] >= 0 || !sameSurface(top, first, g, within)) continue;
      patchOf[g] = patch;
      faces.push(g);
    }
  }
  return faces;
}

/**
 * Follows one side of the sheet from a face over smooth and sharp straight edges. Formed loops inside a wall are not entered.
 * @param rips hinges that are cut instead of bent.
 * @param formed loops known to be formed, by `loopKey`; those that close a ring are found by the caller.
 */
export function followSkin({ top, thick }: Measured, start: number, formed: ReadonlySet<number>, rips: readonly Rip[] = []): Skin {
  const within = sameWithin(top);
  const patchOf = new Int32Array(top.faces.length).fill(-1);
  const followed: Followed = { top, thick, patchOf };
  const patches: Patch[] = [];
  const hinges: Hinge[] = [];
  const seeds = [start];
  for (let s = 0; s < seeds.length; s++) {
    if (patchOf[seeds[s]] >= 0) continue;
    const index = patches.length;
    const faces = facesLike(followed, seeds[s], index, within);
    const kind = top.faces[faces[0]].surface.kind;
    const edges = faces.flatMap((f) => top.faces[f].edges.filter((e) => patchOf[across(top.edges[e], f)] !== index && new Set(top.edges[e].faces).size > 1));
    const chains = chainsOf(top, edges);
    const develop = developmentOf(top, faces[0], edges);
    const outer = outerOf(top, chains, develop);
    const loops = chains.map((chain, i): Loop => ({ edges: chain, inner: i !== outer, formed: formed.has(loopKey(chain)) }));
    patches.push({ kind: kind === 'plane' ? 'wall' : kind === 'cone' ? 'cone' : 'bend', faces, loops, develop });
    for (const loop of loops) {
      if (loop.formed) continue;
      const ways = loop.edges.map((e) => wayOver(followed, index, e));
      if (loop.inner && looksFormed(ways, kind === 'plane')) {
        loop.formed = true;
        continue;
      }
      loop.edges.forEach((e, i) => {
        const way = ways[i];
        if (way.kind !== 'hinge') return;
        seeds.push(way.face);
        hinges.push({ a: index, b: way.face, edges: [e], sharp: way.sharp, loop });
      });
    }
  }
  return ripSkin(top, thick, { patches, hinges: mergedHinges(hinges, patchOf), patchOf, thickness: thick.value }, rips);
}

export const loopKey = (edges: readonly number[]): number => Math.min(...edges);

/** b of a hinge was a face while it was collected. Hinges seen from both sides, or along several edges, become one. */
function mergedHinges(found: Hinge[], patchOf: Int32Array): Hinge[] {
  const out = new Map<string, Hinge>();
  for (const h of found) {
    const b = patchOf[h.b];
    const key = `${Math.min(h.a, b)} ${Math.max(h.a, b)} ${h.sharp > 0 ? 's' : ''}`;
    const known = out.get(key);
    if (!known) out.set(key, { ...h, b });
    else if (!known.edges.includes(h.edges[0])) known.edges.push(h.edges[0]);
  }
  return [...out.values()];
}

/** A loop with ways on to other pieces of the skin is formed all the same where it is not a wall's own, or where it goes on all round. */
function looksFormed(ways: readonly Way[], flat: boolean): boolean {
  const onward = ways.filter((w) => w.kind === 'hinge');
  return onward.length > 0 && (!flat || ways.some((w) => w.kind === 'formed') || onward.length === ways.length);
}

type Way = { kind: 'hinge'; face: number; sharp: number } | { kind: 'cut' } | { kind: 'formed' };

/** What lies over an edge of a patch: another piece of the skin, the cut through the sheet, or something else. */
function wayOver({ top, thick, patchOf }: Followed, patch: number, e: number): Way {
  const edge = top.edges[e];
  const own = edge.faces.find((f) => patchOf[f] === patch)!;
  const g = across(edge, own);
  if (g < 0) return { kind: 'cut' };
  const mid = pointOn(edge.course, 0.5);
  const n = normalAt(top, own, mid);
  const m = normalAt(top, g, mid);
  const c = dot(n, m);
  if (edge.straight && isSheet(top, thick, g)) {
    if (c > smooth) return { kind: 'hinge', face: g, sharp: 0 };
    const flat = top.faces[own].surface.kind === 'plane' && top.faces[g].surface.kind === 'plane';
    // A strip as wide as the sheet is thick has cut edges that look like sides: they lie behind each other, both beside this face.
    const strip = [...thick.behind[g]].some((far) => top.faces[far].edges.some((x) => patchOf[across(top.edges[x], far)] === patch));
    if (flat && !strip && c > -0.9999) return { kind: 'hinge', face: g, sharp: Math.acos(Math.max(-1, Math.min(1, c))) };
  }
  return Math.abs(c) < upright ? { kind: 'cut' } : { kind: 'formed' };
}

/** Edges chained into closed loops by their vertices. @throws Unusable when they do not close. */
export function chainsOf(top: Topology, edges: readonly number[]): number[][] {
  const at = new Map<number, number[]>();
  const all = [...new Set(edges)];
  for (const e of all) {
    for (const v of new Set(top.edges[e].ends)) {
      const list = at.get(v);
      if (list) list.push(e);
      else at.set(v, [e]);
    }
  }
  const used = new Set<number>();
  const loops: number[][] = [];
  for (const first of all) {
    if (used.has(first)) continue;
    used.add(first);
    const loop = [first];
    const begin = top.edges[first].ends[0];
    let v = top.edges[first].ends[1];
    while (v !== begin) {
      const next = at.get(v)?.find((e) => !used.has(e));
      if (next === undefined) {
        throw new Unusable(
          'outline-open',
          `The edges round a face do not close at ${placeText(pointOn(top.edges[loop[loop.length - 1]].course, 1))}.`,
          'Mend or heal the solid first (Soundness).',
        );
      }
      used.add(next);
      loop.push(next);
      const [p, q] = top.edges[next].ends;
      v = p === v ? q : p;
    }
    loops.push(loop);
  }
  return loops;
}

/** The loop that holds the others: the one with the widest box in the plane. */
function outerOf(top: Topology, chains: number[][], develop: Development): number {
  let best = 0;
  let widest = -1;
  chains.forEach((chain, i) => {
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const e of chain) {
      for (let k = 0; k <= 8; k++) {
        const p: P2 = develop.at(pointOn(top.edges[e].course, k / 8));
        box[0] = Math.min(box[0], p[0]);
        box[1] = Math.min(box[1], p[1]);
        box[2] = Math.max(box[2], p[0]);
        box[3] = Math.max(box[3], p[1]);
      }
    }
    const size = Math.hypot(box[2] - box[0], box[3] - box[1]);
    if (size > widest) {
      widest = size;
      best = i;
    }
  });
  return best;
}

/** Whether the edges of a loop all meet the cut through the sheet at a right angle. */
export function uprightRound(top: Topology, edges: readonly number[], own: (edge: TopologyEdge) => number): boolean {
  return edges.every((e) => {
    const edge = top.edges[e];
    const f = own(edge);
    const g = across(edge, f);
    if (g < 0) return true;
    return [0.25, 0.5, 0.75].every((t) => {
      const p = pointOn(edge.course, t);
      return Math.abs(dot(normalAt(top, f, p), normalAt(top, g, p))) < upright;
    });
  });
}

/** Faces curved both ways that are larger than this share of the part are what it is made of, not the rounds of something stamped. */
const curvedShare = 0.03;

/** @throws Unusable when the sheet is bent along a curved line, drawn or spun: it stretches, and nothing unfolds it. */
export function refuseCurved(top: Topology, near: number): void {
  const body = top.faces[near].body;
  const area = top.faces.reduce((sum, f) => sum + (f.body === body ? f.area : 0), 0);
  let worst = -1;
  top.faces.forEach((f, i) => {
    if (f.body !== body || !['torus', 'sphere', 'revolution', 'bspline'].includes(f.surface.kind)) return;
    if (worst < 0 || f.area > top.faces[worst].area) worst = i;
  });
  refuseCurvedCorner(top, body);
  if (worst < 0 || top.faces[worst].area < curvedShare * area) return;
  const { kind } = top.faces[worst].surface;
  const what =
    kind === 'torus'
      ? `the sheet is bent along a curved line at ${faceText(top, worst)}`
      : kind === 'sphere' || kind === 'revolution'
        ? `${faceText(top, worst)} is drawn or spun`
        : `${faceText(top, worst)} may curve both ways`;
  throw new Unusable(
    'curved-bend',
    `${what[0].toUpperCase()}${what.slice(1)} (${placeText(middleOfFace(top, worst))}): there the sheet stretches, and has no flat pattern.`,
    'Spin, draw or roll it; or cut it open into walls that bend along straight lines.',
  );
}

/** @throws Unusable when a flat and a round wall meet at an angle along a curved edge: a flange round a curve. */
function refuseCurvedCorner(top: Topology, body: number): void {
  const widest = Math.max(...top.faces.map((f) => (f.body === body ? f.area : 0)));
  const wall = (f: number) => top.faces[f].area > 0.2 * widest;
  for (const edge of top.edges) {
    const [a, b] = edge.faces;
    if (edge.straight || b === undefined || top.faces[a].body !== body || !wall(a) || !wall(b)) continue;
    const kinds = [a, b].map((f) => top.faces[f].surface.kind);
    if (!kinds.includes('plane') || !(kinds.includes('cylinder') || kinds.includes('cone'))) continue;
    const middle = pointOn(edge.course, 0.5);
    throw new Unusable(
      'curved-bend',
      `The sheet is bent along a curved line where ${faceText(top, a)} and ${faceText(top, b)} meet (${placeText(middle)}): there it stretches or shrinks, and has no flat pattern.`,
      'Slit the flange, or make it of its own piece and join it.',
    );
  }
}

/** @throws Unusable with the place when the sheet has no constant thickness round a face. */
export function refuseThickness(top: Topology, thick: Thickness, face: number): never {
  refuseCurved(top, face);
  const [least, most] = [thick.least[face], thick.most[face]];
  const where = placeText(middleOfFace(top, face));
  // As many digits as it takes to tell them apart.
  const apart = Math.max(1e-6, Math.min(...[least, most].map((v) => Math.abs(v - thick.value)).filter((d) => d > 1e-6), 0.01));
  const digits = Math.min(6, Math.max(2, 1 - Math.floor(Math.log10(apart))));
  const text = (v: number) => v.toFixed(digits);
  const how = Number.isNaN(least)
    ? 'has no other side facing it'
    : `is ${text(least)}${text(least) === text(most) ? '' : ` to ${text(most)}`} mm thick, where the sheet is ${text(thick.value)} mm`;
  throw new Unusable(
    'not-constant',
    `The wall at ${faceText(top, face)} ${how} (${where}).`,
    'Make the wall of one thickness, or pick another face as the fixed wall.',
  );
}

/** Unit direction along a straight edge. */
export function directionOf(edge: TopologyEdge): Vec3 {
  return unit(sub(pointOn(edge.course, 1), pointOn(edge.course, 0)));
}

export const isParallel = (a: Vec3, b: Vec3): boolean => lengthOf(cross(a, b)) < 1e-6;
