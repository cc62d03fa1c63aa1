import { areaOfContour, contourOf, lengthOfContour, type Contour } from '../drawing/drawing.ts';
import { checkDrawing } from '../drawing/check.ts';
import { fitContour, mergedContour } from '../drawing/fit.ts';
import { crossOf, distance, endOf, reversed, type P2, type Segment } from '../drawing/segment.ts';
import { add, lengthOf, scaled, sub, type Vec3 } from '../exact/vector.ts';
import { Unusable, type Finding } from '../findings/finding.ts';
import { bendsOf, type BendGroup } from './bends.ts';
import { foldBackOf } from './fold.ts';
import { featuresOf, type SkinContour } from './features.ts';
import { flatDrawing } from './layers.ts';
import type { DesignedEdge, FlattenChoice, FoldBack, Pattern, PatternPatch } from './pattern.ts';
import { flatOf, placeOnto, put, type FlatPiece, type FlatPlace } from './pieces.ts';
import { across, followSkin, loopKey, refuseThickness, type Hinge, type Loop, type Skin } from './skin.ts';
import { measureThickness, thicknessShare, type Thickness } from './thickness.ts';
import { faceText, middleOfFace, normalAt, placeText, pointOn, type Topology } from './topology.ts';

/** Reports how far it is (0 to 1) and what is done; throws to give up. */
export type Progress = (share: number, doing: string) => void;

/** How far two ways to the same wall may be apart on the flat and still be one, as a share of the diagonal. */
const sameWay = 1e-6;
/** Facets that stand for the part: only where a ray meets, which face it is, and how far features reach; distances are exact. mm and rad. */
export const sheetFacets = { deflection: 0.05, angle: 0.4 };

/** A wall placed on the flat. */
export interface Placed {
  place: FlatPlace[];
  /** Patch that each hangs on; -1 for the fixed wall. */
  parent: number[];
  hinge: (Hinge | null)[];
  /** Order in which they were placed. */
  order: number[];
  groups: BendGroup[];
  /** Group of each patch, and of each sharp hinge. */
  groupOf: Int32Array;
  sharpGroup: Map<Hinge, number>;
}

/**
 * Unfolds a sheet part: finds the sheet's thickness, follows one side of it from the fixed wall over its bends, counts each bend by the rule,
 * and lays everything into one plane. Nothing comes of a part that can't be unfolded but the reason.
 * @param volume of the design, mm3, for the evidence.
 * @throws Unusable with the face and place.
 */
export function unfold(top: Topology, choice: FlattenChoice, volume: number, progress: Progress = () => {}): Pattern {
  progress(0.1, 'measuring the thickness');
  const { thick, body, others } = sheetBody(top, choice);
  const start = fixedWall(top, thick, body, choice.face);
  progress(0.3, 'following the walls and bends');
  let { skin, placed } = followAll(top, thick, start, choice);
  if (choice.up !== 'face') {
    const back = [...thick.behind[start]].find((g) => top.faces[g].surface.kind === 'plane');
    const rising = placed.groups.reduce((n, g) => n + (g.up ? 1 : -1), 0);
    if (
      back !== undefined &&
      (choice.up === 'back' || rising < 0 || (rising === 0 && placed.groups.length > 0 && top.faces[back].area > top.faces[start].area))
    ) {
      ({ skin, placed } = followAll(top, thick, back, choice));
    }
  }
  progress(0.6, 'drawing the flat');
  const pattern = patternOf(top, thick, skin, placed, choice, volume);
  if (others.length > 0) {
    pattern.findings.push({
      code: 'other-bodies',
      severity: 'look',
      count: others.length,
      message: `${others.length} other ${others.length === 1 ? 'body was' : 'bodies were'} left out: the sheet is the one with most area of one thickness.`,
      remedy: 'Join them first if they belong to the sheet.',
    });
  }
  return pattern;
}

/** The body with the largest share of area on sheet-like pairs, and its thickness. @throws Unusable when nothing is like a sheet. */
function sheetBody(top: Topology, choice: FlattenChoice): { thick: Thickness; body: number; others: number[] } {
  const clear = top.diagonal * 1e-6;
  if (choice.face !== null && !top.faces[choice.face])
    throw new Unusable('no-such-face', `There is no face ${choice.face + 1}; the part has ${top.faces.length}.`, 'Pick another face.');
  const wanted = choice.face === null ? null : top.faces[choice.face].body;
  let best: { thick: Thickness; body: number } | null = null;
  for (let body = 0; body < top.bodies; body++) {
    if (wanted !== null && body !== wanted) continue;
    const thick = measureThickness(top, body, clear);
    const area = top.faces.reduce((sum, f) => sum + (f.body === body ? f.area : 0), 0);
    if (!Number.isFinite(thick.value)) continue;
    if (!best || thick.share * area > best.thick.share * top.faces.reduce((sum, f) => sum + (f.body === best!.body ? f.area : 0), 0)) best = { thick, body };
  }
  if (best && best.thick.share < 0.3 && best.thick.facing > 0.5) {
    const { thick } = best;
    const worst = thick.most.reduce((w, most, f) => (most - thick.least[f] > (w < 0 ? 0 : thick.most[w] - thick.least[w]) ? f : w), -1);
    if (worst >= 0 && thick.most[worst] - thick.least[worst] > 0.02 * thick.value) refuseThickness(top, thick, worst);
  }
  if (!best || best.thick.share < 0.3) {
    const share = best ? ` Only ${Math.round(best.thick.share * 100)} % of its area has another side at one distance.` : '';
    throw new Unusable(
      'no-sheet',
      `No thickness of a sheet was found in this part.${share}`,
      'Unfold sheet parts only: walls of one thickness, joined by bends.',
    );
  }
  const allowed = Math.max(0.01, (top.exact ? 0.005 : thicknessShare * 1.01) * best.thick.value, ...top.faces.map((f) => f.fit * 4));
  if (best.thick.spread > allowed) {
    const worst = best.thick.paired.reduce(
      (w, share, f) => (share >= 0.5 && best!.thick.most[f] - best!.thick.least[f] > best!.thick.most[w] - best!.thick.least[w] ? f : w),
      best.thick.paired.findIndex((share) => share >= 0.5),
    );
    refuseThickness(top, best.thick, worst);
  }
  return { ...best, others: Array.from({ length: top.bodies }, (_, i) => i).filter((i) => i !== best!.body) };
}

/** @throws Unusable when the picked face is no side of the sheet. */
function fixedWall(top: Topology, thick: Thickness, body: number, face: number | null): number {
  if (face !== null) {
    if (top.faces[face].surface.kind !== 'plane')
      throw new Unusable('not-flat', `The picked ${faceText(top, face)} is not flat, so it can't be the fixed wall.`, 'Pick a flat wall.');
    if (thick.paired[face] < 0.5) refuseThickness(top, thick, face);
    return face;
  }
  let best = -1;
  top.faces.forEach((f, i) => {
    if (f.body === body && f.surface.kind === 'plane' && thick.paired[i] >= 0.5 && (best < 0 || f.area > top.faces[best].area)) best = i;
  });
  if (best >= 0) return best;
  // A rolled part has no flat wall: its largest round side holds still.
  top.faces.forEach((f, i) => {
    if (f.body === body && thick.paired[i] >= 0.5 && (best < 0 || f.area > top.faces[best].area)) best = i;
  });
  if (best < 0) throw new Unusable('no-sheet', 'No wall of the sheet could be found to begin with.', 'Pick the fixed wall by hand.');
  return best;
}

/** Follows the skin; formed loops that turn out to close a ring within one wall are closed and it is followed again. */
function followAll(top: Topology, thick: Thickness, start: number, choice: FlattenChoice): { skin: Skin; placed: Placed } {
  const formed = new Set<number>();
  for (let round = 0; round < 1000; round++) {
    const skin = followSkin(top, thick, start, formed);
    const closed = skin.patches.findIndex((p) => p.develop.closed);
    if (closed >= 0) {
      const face = skin.patches[closed].faces[0];
      throw new Unusable(
        'closed-tube',
        `The round wall at ${faceText(top, face)} closes on itself (${placeText(middleOfFace(top, face))}), so it can't be laid flat.`,
        'Give it a seam: a gap along its length. Tube is cut to length and bent, not unfolded.',
      );
    }
    const groups = bendsOf(top, skin, choice, thick);
    const placed = layOut(top, skin, groups);
    if (!placed.clash) return { skin, placed };
    const { a, b, off, hinge } = placed.clash;
    const loop = innerLoopTo(placed, a) ?? innerLoopTo(placed, b);
    if (!loop) {
      const [f, g] = [skin.patches[a].faces[0], skin.patches[b].faces[0]];
      const where = pointOn(top.edges[hinge.edges[0]].course, 0.5);
      throw new Unusable(
        'closes-on-itself',
        `The part closes on itself: ${faceText(top, f)} and ${faceText(top, g)} meet at ${placeText(where)}, but on the flat they come to lie ${off.toFixed(2)} mm apart.`,
        'Open a seam there: a small gap between the two walls.',
      );
    }
    formed.add(loopKey(loop.edges));
  }
  throw new Unusable('too-many-features', 'The part has more than 1000 formed features that look like bends.', 'Leave them out in the program that made it.');
}

/** The first formed-looking loop on the way from the fixed wall to a patch. */
function innerLoopTo(placed: Placed, patch: number): Loop | null {
  let found: Loop | null = null;
  for (let p = patch; placed.parent[p] >= 0; p = placed.parent[p]) if (placed.hinge[p]!.loop.inner) found = placed.hinge[p]!.loop;
  return found;
}

/** Lays every patch beside its parent, breadth first, and holds further hinges against what is there. */
function layOut(
  top: Topology,
  skin: Skin,
  found: { groups: BendGroup[]; groupOf: Int32Array; sharpGroup: Map<Hinge, number> },
): Placed & { clash: { a: number; b: number; off: number; hinge: Hinge } | null } {
  const n = skin.patches.length;
  const placed: Placed = {
    place: new Array<FlatPlace>(n),
    parent: new Array<number>(n).fill(-1),
    hinge: new Array<Hinge | null>(n).fill(null),
    order: [0],
    ...found,
  };
  placed.place[0] = { c: 1, s: 0, x: 0, y: 0 };
  const done = new Set([0]);
  const tolerance = Math.max(1e-5, top.diagonal * sameWay, ...top.faces.map((f) => f.fit * 10));
  for (let i = 0; i < placed.order.length; i++) {
    const p = placed.order[i];
    for (const hinge of skin.hinges) {
      if (hinge.a !== p && hinge.b !== p) continue;
      const q = hinge.a === p ? hinge.b : hinge.a;
      const there = placeBeyond(top, skin, placed, hinge, p, q);
      if (!done.has(q)) {
        done.add(q);
        placed.place[q] = there;
        placed.parent[q] = p;
        placed.hinge[q] = hinge;
        placed.order.push(q);
        continue;
      }
      if (placed.hinge[p] === hinge || placed.hinge[q] === hinge) continue;
      let off = 0;
      for (const e of hinge.edges)
        for (const t of [0, 1]) {
          const local = skin.patches[q].develop.at(pointOn(top.edges[e].course, t));
          off = Math.max(off, distance(put(there, local), put(placed.place[q], local)));
        }
      if (off > tolerance) return { ...placed, clash: { a: p, b: q, off, hinge } };
    }
  }
  return { ...placed, clash: null };
}

/** Where a patch comes to lie beyond a hinge. A sharp hinge leaves room for its bend between the two walls. */
function placeBeyond(top: Topology, skin: Skin, placed: Placed, hinge: Hinge, p: number, q: number): FlatPlace {
  const edge = top.edges[longest(top, hinge.edges)];
  const [from, to] = [pointOn(edge.course, 0), pointOn(edge.course, 1)];
  const [P, Q] = [skin.patches[p].develop, skin.patches[q].develop];
  const [a, b] = [put(placed.place[p], P.at(from)), put(placed.place[p], P.at(to))];
  if (hinge.sharp === 0) return placeOnto(Q.at(from), Q.at(to), a, b);
  const width = placed.groups[placed.sharpGroup.get(hinge)!].zone;
  const away = awayFrom(
    top,
    skin,
    edge.faces.find((f) => skin.patchOf[f] === p)!,
    p,
    placed.place[p],
    a,
    b,
    pointOn(edge.course, 0.5),
  );
  const shift: P2 = [away[0] * width, away[1] * width];
  return placeOnto(Q.at(from), Q.at(to), [a[0] + shift[0], a[1] + shift[1]], [b[0] + shift[0], b[1] + shift[1]]);
}

const longest = (top: Topology, edges: readonly number[]): number => edges.reduce((best, e) => (spanOf(top, e) > spanOf(top, best) ? e : best), edges[0]);
const spanOf = (top: Topology, e: number): number => lengthOf(sub(pointOn(top.edges[e].course, 1), pointOn(top.edges[e].course, 0)));

/** Unit vector on the flat across a straight edge, away from the face that lies on one side of it. */
export function awayFrom(top: Topology, skin: Skin, face: number, patch: number, place: FlatPlace, a: P2, b: P2, middle: Vec3): P2 {
  const along: P2 = [b[0] - a[0], b[1] - a[1]];
  const size = Math.hypot(...along);
  const left: P2 = [-along[1] / size, along[0] / size];
  // The face's own triangle at the edge tells on which side its material is.
  let best = Infinity;
  let side = 0;
  const m = put(place, skin.patches[patch].develop.at(middle));
  const { positions, triangles } = top.mesh;
  for (const t of top.faces[face].triangles) {
    let away = 0;
    let far = 0;
    const corners = [0, 1, 2].map((k) => {
      const v = triangles[t * 3 + k] * 3;
      return put(place, skin.patches[patch].develop.at([positions[v], positions[v + 1], positions[v + 2]]));
    });
    for (const c of corners) {
      const d = (c[0] - a[0]) * left[0] + (c[1] - a[1]) * left[1];
      if (Math.abs(d) > Math.abs(far)) far = d;
    }
    away = distanceToTriangle(m, corners);
    if (away < best - 1e-12 || (away < best + 1e-9 && Math.abs(far) > Math.abs(side))) {
      best = Math.min(best, away);
      side = far;
    }
  }
  return side > 0 ? [-left[0], -left[1]] : left;
}

function distanceToTriangle(p: P2, corners: P2[]): number {
  let inside = true;
  let least = Infinity;
  const turn =
    crossOf([corners[1][0] - corners[0][0], corners[1][1] - corners[0][1]], [corners[2][0] - corners[0][0], corners[2][1] - corners[0][1]]) < 0 ? -1 : 1;
  for (let k = 0; k < 3; k++) {
    const a = corners[k];
    const b = corners[(k + 1) % 3];
    const e: P2 = [b[0] - a[0], b[1] - a[1]];
    const f: P2 = [p[0] - a[0], p[1] - a[1]];
    if (turn * crossOf(e, f) < 0) inside = false;
    const t = Math.max(0, Math.min(1, (e[0] * f[0] + e[1] * f[1]) / (e[0] ** 2 + e[1] ** 2 || 1)));
    least = Math.min(least, Math.hypot(f[0] - e[0] * t, f[1] - e[1] * t));
  }
  return inside ? 0 : least;
}

/** Contours of the flat, features, bend lines, and what is needed to fold it again. */
function patternOf(top: Topology, thick: Thickness, skin: Skin, placed: Placed, choice: FlattenChoice, volume: number): Pattern {
  const findings: Finding[] = [];
  const contours = outlines(top, skin, placed, choice.deviation);
  const sorted = contours.sort((a, b) => Math.abs(areaOfContour(b.contour)) - Math.abs(areaOfContour(a.contour)));
  if (sorted.length === 0) throw new Unusable('no-outline', 'The flat has no outline: the sheet is a closed shell.', 'Open a seam.');
  const { features, cuts } = featuresOf(top, thick, skin, placed, sorted, choice, findings);
  const kept = cuts.map((c) => c.contour);
  const outer = kept[0];
  const holes = kept.slice(1);
  const patches = patchesOf(top, skin, placed);
  const edges = designedEdges(skin, placed, cuts);
  const fit = Math.max(0, ...top.faces.map((f) => f.fit));
  const root = rootOf(top, skin);
  const groups = placed.groups;
  const deviation = Math.max(0, ...cuts.flatMap((c) => c.pieces.map((p) => p.off)));
  const bends = groups.map((g) => g.bend);
  const { drawing, turned } = flatDrawing(outer, holes, groups, features, patches, choice);
  const move = (p: P2): P2 => put(turned, p);
  for (const g of groups) g.bend.lines = g.bend.lines.map(([a, b]) => [move(a), move(b)]);
  for (const f of features) {
    f.centre = move(f.centre);
    if (f.outline) f.outline = movedContour(f.outline, turned);
  }
  for (const e of edges) for (let i = 0; i < e.flat.length; i += 2) [e.flat[i], e.flat[i + 1]] = move([e.flat[i], e.flat[i + 1]]);
  const movedPatches = patches.map((p): PatternPatch => ({
    ...p,
    hinge: p.hinge ? [move(p.hinge[0]), move(p.hinge[1])] : null,
    cone: p.cone ? { ...p.cone, apex: move(p.cone.apex) } : null,
    region: p.region.map((c) => movedContour(c, turned)),
  }));
  const cutLayers = { ...drawing, layers: drawing.layers.filter((l) => l.name === 'CUT' || l.name === 'HOLES') };
  const check = checkDrawing(cutLayers);
  if (check.crossings.length > 0) {
    findings.push({
      code: 'flat-overlaps',
      severity: 'stop',
      count: check.crossings.length,
      message: `The flat overlaps itself at ${check.crossings.length} places: two walls would need the same sheet, first at X ${check.crossings[0].at[0].toFixed(1)}, Y ${check.crossings[0].at[1].toFixed(1)} mm of the flat.`,
      remedy: 'Cut the part in two, or trim one of the walls.',
    });
  }
  const box = [...check.box] as Pattern['box'];
  const area = Math.abs(areaOfContour(outer)) - holes.reduce((n, c) => n + Math.abs(areaOfContour(c)), 0);
  findings.push(...reliefFindings(top, skin), ...grainFindings(bends, choice), ...ruleFindings(groups));
  const pattern: Pattern = {
    thickness: thick.value,
    spread: thick.spread,
    drawing,
    box,
    area,
    length: kept.reduce((n, c) => n + lengthOfContour(c), 0),
    holes: holes.length,
    bends: bends.sort((a, b) => a.order - b.order),
    features,
    root: { ...root, at: add(add(root.at, scaled(root.x, -inverse(turned)[0])), scaled(root.y, -inverse(turned)[1])), ...turnedAxes(root, turned) },
    patches: movedPatches,
    edges,
    deviation,
    fit,
    flatAlready: skin.patches.length === 1 && skin.patches[0].kind === 'wall',
    findings,
    choice,
    foldBack: null,
    volume,
  };
  const back = foldBackOf(
    pattern,
    pattern.drawing,
    kept.map((c) => movedContour(c, turned)),
  );
  pattern.foldBack = back;
  proveWhole(pattern, back, top);
  return pattern;
}

/** Where the flat's origin lies in the fixed wall's own coordinates, negated. */
function inverse(m: FlatPlace): P2 {
  return [m.c * m.x + m.s * m.y, -m.s * m.x + m.c * m.y];
}

function turnedAxes(root: Pattern['root'], m: FlatPlace): Pick<Pattern['root'], 'x' | 'y'> {
  return { x: add(scaled(root.x, m.c), scaled(root.y, -m.s)), y: add(scaled(root.x, m.s), scaled(root.y, m.c)) };
}

export function movedContour(c: Contour, m: FlatPlace): Contour {
  return { ...c, segments: c.segments.map((s) => movedSegment(s, m)) };
}

function movedSegment(s: Segment, m: FlatPlace): Segment {
  const angle = Math.atan2(m.s, m.c);
  switch (s.kind) {
    case 'line':
      return { kind: 'line', a: put(m, s.a), b: put(m, s.b) };
    case 'arc':
      return { ...s, centre: put(m, s.centre), start: s.start + angle };
    case 'ellipse':
      return { ...s, centre: put(m, s.centre), u: [m.c * s.u[0] - m.s * s.u[1], m.s * s.u[0] + m.c * s.u[1]] };
    default:
      return { ...s, points: s.points.map((p) => put(m, p)) };
  }
}

/** The root patch in space: where its own plane's origin and axes are. */
function rootOf(top: Topology, skin: Skin): Pattern['root'] {
  const patch = skin.patches[0];
  const face = patch.faces[0];
  const middle = middleOfFace(top, face);
  if (patch.kind === 'wall') {
    const normal = normalAt(top, face, middle);
    const { surface } = top.faces[face];
    if (surface.kind !== 'plane') throw new RangeError('a wall is flat');
    const x = surface.frame.x;
    const y: Vec3 = [normal[1] * x[2] - normal[2] * x[1], normal[2] * x[0] - normal[0] * x[2], normal[0] * x[1] - normal[1] * x[0]];
    return { at: surface.frame.at, x, y, normal };
  }
  // A rolled part is held at its first ruling: the plane that touches it there.
  const { develop } = patch;
  const first = firstRuling(top, skin);
  const [u, v] = develop.at(first);
  const normal = normalAt(top, face, first);
  const along = patch.kind === 'bend' ? develop.axis!.along : scaled(sub(first, develop.axis!.at), 1 / lengthOf(sub(first, develop.axis!.at)));
  if (patch.kind === 'bend') {
    const x: Vec3 = [along[1] * normal[2] - along[2] * normal[1], along[2] * normal[0] - along[0] * normal[2], along[0] * normal[1] - along[1] * normal[0]];
    return { at: sub(first, add(scaled(x, u), scaled(along, v))), x, y: along, normal };
  }
  // Cone: the ruling runs along the direction of the sector there.
  const psi = Math.atan2(v, u);
  const side: Vec3 = [normal[1] * along[2] - normal[2] * along[1], normal[2] * along[0] - normal[0] * along[2], normal[0] * along[1] - normal[1] * along[0]];
  const x = add(scaled(along, Math.cos(psi)), scaled(side, -Math.sin(psi)));
  const y = add(scaled(along, Math.sin(psi)), scaled(side, Math.cos(psi)));
  return { at: sub(first, add(scaled(x, u), scaled(y, v))), x, y, normal };
}

/** A point of the first ruling of a rolled root. */
function firstRuling(top: Topology, skin: Skin): Vec3 {
  const patch = skin.patches[0];
  let best: Vec3 | null = null;
  let least = Infinity;
  for (const loop of patch.loops)
    for (const e of loop.edges)
      for (let k = 0; k <= 16; k++) {
        const p = pointOn(top.edges[e].course, k / 16);
        const a = patch.develop.angleOf(p);
        if (a < least) {
          least = a;
          best = p;
        }
      }
  return best!;
}

/** The border of the skin on the flat, chained into contours; pieces keep the edges they came from. */
function outlines(top: Topology, skin: Skin, placed: Placed, allowed: number): SkinContour[] {
  const joined = new Nodes();
  const hinged = new Map<number, Hinge>();
  for (const hinge of skin.hinges) for (const e of hinge.edges) hinged.set(e, hinge);
  const pieces: { piece: FlatPiece; ends: [string, string] }[] = [];
  const connections = new Map<string, { ends: [string, string]; segment: Segment; piece: FlatPiece }>();
  for (const [e, hinge] of hinged) {
    const edge = top.edges[e];
    edge.ends.forEach((v, end) => {
      const [p, q] = [`${v}/${hinge.a}`, `${v}/${hinge.b}`];
      if (hinge.sharp === 0) {
        joined.join(p, q);
        return;
      }
      // Ends of a bend with no radius on this side: a line across its zone; where two of its edges meet there is none.
      const key = `${v} ${hinge.a} ${hinge.b}`;
      if (connections.delete(key)) return;
      const at = pointOn(edge.course, end);
      const [a, b] = [hinge.a, hinge.b].map((i) => put(placed.place[i], skin.patches[i].develop.at(at)));
      const course = edge.course.kind === 'exact' ? ({ kind: 'corners', points: Float64Array.from([...at, ...at]) } as const) : edge.course;
      connections.set(key, {
        ends: [p, q],
        segment: { kind: 'line', a, b },
        piece: { edge: -1, patch: -1, segments: [{ kind: 'line', a, b }], off: 0, course },
      });
    });
  }
  skin.patches.forEach((patch, i) => {
    for (const loop of patch.loops) {
      for (const e of loop.edges) {
        if (hinged.has(e)) continue;
        const edge = top.edges[e];
        const beyond = across(
          edge,
          edge.faces.find((f) => skin.patchOf[f] === i)!,
        );
        const { segments, off, course } = flatOf(edge, patch.develop, placed.place[i], allowed, null, top.faces[beyond]?.surface ?? null);
        pieces.push({ piece: { edge: e, patch: i, segments, off, course }, ends: [`${edge.ends[0]}/${i}`, `${edge.ends[1]}/${i}`] });
      }
    }
  });
  for (const c of connections.values()) pieces.push({ piece: c.piece, ends: c.ends });
  const ends = new Map<string, number[]>();
  pieces.forEach(({ ends: pair }, i) => {
    for (const key of new Set(pair.map((k) => joined.rootOf(k)))) {
      const list = ends.get(key);
      if (list) list.push(i);
      else ends.set(key, [i]);
    }
  });
  const used = new Set<number>();
  const contours: SkinContour[] = [];
  for (let i = 0; i < pieces.length; i++) {
    if (used.has(i)) continue;
    used.add(i);
    const chain = [pieces[i].piece];
    const segments = [...pieces[i].piece.segments];
    const begin = joined.rootOf(pieces[i].ends[0]);
    let at = joined.rootOf(pieces[i].ends[1]);
    while (at !== begin) {
      const next = ends.get(at)?.find((k) => !used.has(k));
      if (next === undefined) {
        const p = endOf(segments[segments.length - 1]);
        throw new Unusable(
          'outline-open',
          `The outline of the flat does not close at X ${p[0].toFixed(2)}, Y ${p[1].toFixed(2)} mm of the flat.`,
          'Heal the solid first, or pick another fixed wall.',
        );
      }
      used.add(next);
      const { piece, ends: pair } = pieces[next];
      const turned = joined.rootOf(pair[0]) !== at;
      segments.push(...(turned ? piece.segments.map(reversed).reverse() : piece.segments));
      chain.push(piece);
      at = joined.rootOf(pair[turned ? 0 : 1]);
    }
    let contour = contourOf(segments, true);
    let off = 0;
    if (!top.exact) {
      const done = fitContour(contour, Math.max(allowed, ...top.faces.map((f) => f.fit * 2)));
      contour = done.result;
      off = done.measured;
    }
    // A straight edge that runs on over a bend is one line.
    contour = mergedContour(contour, top.exact ? 1e-7 : Math.max(1e-4, top.diagonal * 2e-6));
    contours.push({ contour, pieces: chain.map((p) => (off > p.off ? { ...p, off } : p)) });
  }
  return contours;
}

/** Which ends are the same place on the flat. */
class Nodes {
  private readonly up = new Map<string, string>();
  rootOf(key: string): string {
    let at = key;
    for (let next = this.up.get(at); next !== undefined; next = this.up.get(at)) at = next;
    return at;
  }
  join(a: string, b: string): void {
    const [p, q] = [this.rootOf(a), this.rootOf(b)];
    if (p !== q) this.up.set(p, q);
  }
}

/** Patches as they are folded again: in the order of the tree, sharp bends as patches of their own. */
function patchesOf(top: Topology, skin: Skin, placed: Placed): PatternPatch[] {
  const out: PatternPatch[] = [];
  const number = new Map<number, number>();
  for (const i of placed.order) {
    const patch = skin.patches[i];
    const hinge = placed.hinge[i];
    let parent = hinge ? number.get(placed.parent[i])! : -1;
    let line: [P2, P2] | null = null;
    if (hinge) {
      const p = placed.parent[i];
      const edge = top.edges[longest(top, hinge.edges)];
      const [from, to] = [pointOn(edge.course, 0), pointOn(edge.course, 1)];
      let [a, b] = [from, to].map((v) => put(placed.place[p], skin.patches[p].develop.at(v)));
      const away = awayFrom(
        top,
        skin,
        edge.faces.find((f) => skin.patchOf[f] === p)!,
        p,
        placed.place[p],
        a,
        b,
        pointOn(edge.course, 0.5),
      );
      // The child lies on the left of the way from a to b.
      if (-(b[1] - a[1]) * away[0] + (b[0] - a[0]) * away[1] < 0) [a, b] = [b, a];
      line = [a, b];
      if (hinge.sharp > 0) {
        const g = placed.sharpGroup.get(hinge)!;
        const { zone, up, angle, inner } = placed.groups[g];
        const shift: P2 = [away[0] * zone, away[1] * zone];
        const [c, d] = [a, b].map((v): P2 => [v[0] + shift[0], v[1] + shift[1]]);
        const strip = hinge.edges.map((e) => {
          const [u, v] = [0, 1].map((t) => put(placed.place[p], skin.patches[p].develop.at(pointOn(top.edges[e].course, t))));
          return rectangle(u, v, shift);
        });
        out.push({ kind: 'bend', parent, hinge: line, bend: { angle, up, inner, width: zone }, cone: null, region: strip, bendNumber: g, strips: true });
        parent = out.length - 1;
        line = [c, d];
      }
    }
    const region = patch.loops.map((loop) => loopContour(top, skin, placed, i, loop));
    const g = placed.groupOf[i];
    const group = g >= 0 ? placed.groups[g] : null;
    let cone: PatternPatch['cone'] = null;
    if (patch.kind === 'cone') {
      const { develop } = patch;
      cone = { apex: put(placed.place[i], [0, 0]), half: develop.half, sweep: develop.sweep, up: !develop.convex, slant: develop.slant };
    }
    let own = line;
    if (!line && patch.kind !== 'wall') own = rollHinge(top, skin, placed, i);
    out.push({
      kind: patch.kind,
      parent,
      hinge: own,
      bend:
        patch.kind === 'bend' && group
          ? { angle: patch.develop.sweep, up: group.up, inner: group.inner, width: patch.develop.sweep * patch.develop.perRadian }
          : null,
      cone,
      region,
      bendNumber: g,
      strips: false,
    });
    number.set(i, out.length - 1);
  }
  return out;
}

/** The first ruling of a rolled root, along which it touches its own plane. */
function rollHinge(top: Topology, skin: Skin, placed: Placed, i: number): [P2, P2] {
  const { develop } = skin.patches[i];
  const p = put(placed.place[i], develop.at(firstRuling(top, skin)));
  if (develop.kind === 'cone') {
    const apex = put(placed.place[i], [0, 0]);
    // Further angles lie on the left or the right of the ruling that runs from the apex.
    return develop.convex ? [p, apex] : [apex, p];
  }
  const up: P2 = [p[0], p[1] + 1];
  return develop.convex ? [up, p] : [p, up];
}

const rectangle = (a: P2, b: P2, shift: P2): Contour => {
  const c: P2 = [b[0] + shift[0], b[1] + shift[1]];
  const d: P2 = [a[0] + shift[0], a[1] + shift[1]];
  return contourOf(
    [a, b, c, d].map((p, i, all): Segment => ({ kind: 'line', a: p, b: all[(i + 1) % 4] })),
    true,
  );
};

/** A patch's own border on the flat, hinges included. */
function loopContour(top: Topology, skin: Skin, placed: Placed, i: number, loop: Loop): Contour {
  const segments: Segment[] = [];
  let at = -1;
  const { edges } = loop;
  // A loop's edges are in order; which way each runs follows from its vertices.
  if (edges.length > 1) {
    const [p, q] = top.edges[edges[0]].ends;
    const next = top.edges[edges[1]].ends;
    at = next.includes(q) ? p : q;
  } else at = top.edges[edges[0]].ends[0];
  for (const e of edges) {
    const edge = top.edges[e];
    const flat = flatOf(edge, skin.patches[i].develop, placed.place[i], 0.005).segments;
    const turned = edge.ends[0] !== at;
    segments.push(...(turned ? flat.map(reversed).reverse() : flat));
    at = edge.ends[turned ? 0 : 1];
  }
  return contourOf(segments, true);
}

/** Edges that the folded flat has to find again, as points: the ends of lines, a few points of curves. */
function designedEdges(skin: Skin, placed: Placed, cuts: SkinContour[]): DesignedEdge[] {
  const number = new Map(placed.order.map((p, i) => [p, i]));
  // Sharp bends add patches of their own before their wall.
  let shift = 0;
  for (const p of placed.order) {
    if ((placed.hinge[p]?.sharp ?? 0) > 0) shift++;
    number.set(p, number.get(p)! + shift);
  }
  const out: DesignedEdge[] = [];
  for (const { pieces: own } of cuts) {
    for (const piece of own) {
      if (piece.edge < 0) continue;
      const straight = piece.segments.length === 1 && piece.segments[0].kind === 'line';
      // Corners of a mesh are its only exact places.
      const corners = piece.course.kind === 'corners' ? piece.course.points.length / 3 - 1 : 0;
      const n = straight ? 1 : corners > 0 ? Math.min(8, corners) : 8;
      const points: number[] = [];
      const flat: number[] = [];
      for (let k = 0; k <= n; k++) {
        const p = pointOn(piece.course, corners > 0 ? Math.round((k * corners) / n) / corners : k / n);
        points.push(...p);
        flat.push(...put(placed.place[piece.patch], skin.patches[piece.patch].develop.at(p)));
      }
      out.push({ patch: number.get(piece.patch)!, points, flat });
    }
  }
  return out;
}

/** A bend that begins in the middle of an edge with no relief cut beside it tears there. Common practice, no source. */
function reliefFindings(top: Topology, skin: Skin): Finding[] {
  let count = 0;
  let first = '';
  for (const hinge of skin.hinges) {
    const wall = skin.patches[hinge.a].kind === 'wall' ? hinge.a : hinge.b;
    if (skin.patches[wall].kind !== 'wall') continue;
    const { develop, loops } = skin.patches[wall];
    for (const loop of loops) {
      loop.edges.forEach((e, i) => {
        if (!hinge.edges.includes(e)) return;
        for (const next of [loop.edges[(i + 1) % loop.edges.length], loop.edges[(i + loop.edges.length - 1) % loop.edges.length]]) {
          if (hinge.edges.includes(next) || !top.edges[next].straight || loop.edges.length < 3) continue;
          const shared = top.edges[e].ends.find((v) => top.edges[next].ends.includes(v));
          if (shared === undefined) continue;
          const out = (edge: number): P2 => {
            const at = top.edges[edge].ends[0] === shared ? 0 : 1;
            const [p, q] = [at, 1 - at].map((t) => develop.at(pointOn(top.edges[edge].course, t)));
            return [q[0] - p[0], q[1] - p[1]];
          };
          const [u, v] = [out(e), out(next)];
          const long = Math.hypot(...v);
          const onward = Math.abs(crossOf(u, v)) < 0.09 * Math.hypot(...u) * long && u[0] * v[0] + u[1] * v[1] < 0;
          // Another bend that goes on along the same line does not tear.
          const bends = skin.hinges.some((h) => h.edges.includes(next));
          if (!onward || bends || long < skin.thickness / 2) continue;
          count++;
          if (first === '') first = placeText(pointOn(top.edges[e].course, top.edges[e].ends[0] === shared ? 0 : 1));
        }
      });
    }
  }
  if (count === 0) return [];
  return [
    {
      code: 'no-relief',
      severity: 'look',
      count,
      message: `${count} ${count === 1 ? 'bend ends' : 'bends end'} beside an edge that goes straight on, with no relief cut: the sheet tears there, first at ${first}.`,
      remedy: 'Add a relief cut at least as wide as the sheet is thick, or accept the tear.',
    },
  ];
}

function grainFindings(bends: Pattern['bends'], choice: FlattenChoice): Finding[] {
  if (choice.grain === 'any') return [];
  const along = bends.filter((b) => b.lines.some(([p, q]) => Math.abs(q[1] - p[1]) < 0.09 * distance(p, q)));
  if (along.length === 0) return [];
  return [
    {
      code: 'bends-along-grain',
      severity: choice.grain === 'across' ? 'look' : 'clear',
      count: along.length,
      message: `${along.length} of ${bends.length} bends run along the grain (X of the sheet), where the sheet cracks sooner.`,
      remedy: 'Turn the flat so that the tightest bends run across the grain, or take a larger radius.',
    },
  ];
}

function ruleFindings(groups: BendGroup[]): Finding[] {
  const doubts = [...new Set(groups.flatMap((g) => (g.doubt ? [g.doubt] : [])))];
  return doubts.map((message) => ({
    code: 'rule-stretched',
    severity: 'look' as const,
    count: groups.filter((g) => g.doubt === message).length,
    message,
    remedy: 'Measure a test bend and add a row to the table.',
  }));
}

/** Share of the volume that may be missing before a flat is taken for wrong: facets of a mesh lose some. */
const missing = (top: Topology): number => (top.exact ? 5e-3 : 3e-2);

/** Findings that say why a folded flat has another volume than the design. */
export const volumeReasons: readonly string[] = ['edges-bevelled', 'hole-bevelled', 'countersink', 'other-bodies'];

/**
 * A flat that does not hold the whole sheet is never given out: what was left out must be known by name.
 * @throws Unusable when folded volume and design differ with no feature, bevel or other body to say why.
 */
function proveWhole(pattern: Pattern, back: FoldBack, top: Topology): void {
  const known = pattern.features.length > 0 || pattern.findings.some((f) => volumeReasons.includes(f.code)) || top.bodies > 1;
  const off = Math.abs(back.volume - back.designed);
  if (known || off <= missing(top) * back.designed) return;
  throw new Unusable(
    'not-whole',
    `The flat would not hold the whole part: folded again it has ${back.volume.toFixed(0)} mm³ of ${back.designed.toFixed(0)} mm³.`,
    'Pick the fixed wall by hand, or heal the solid first.',
  );
}
