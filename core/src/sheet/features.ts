import type { Skin } from './hinges.ts';
import type { SkinContour } from './pieces.ts';
import type { Feature } from '../model/flat.ts';
import { boxOfContour, type Contour } from '../curves/drawing.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { widened } from './bevels.ts';
import type { FlattenChoice } from './pattern.ts';
import { put } from './pieces.ts';
import { farContour, middleOfPieces, roundOf, throughCut } from './cuts.ts';
import { across, refuseCurved, refuseThickness, uprightRound } from './skin.ts';
import { faceText, heightOver, middleOfFace, placeText, pointOn, type Topology } from './topology.ts';
import type { LaidSheet } from './lay-out.ts';

/** Faces that are no side of the sheet and hang together: the cut round it, a hole, or something formed. */
interface Rest {
  faces: number[];
  /** Edges where it meets the up side and the down side. */
  upper: number[];
  lower: number[];
}

/** What stands round one contour of the flat, and how far it reaches out of the sheet. */
interface Around {
  faces: number[];
  patches: number[];
  /** Edges where it meets the other side. */
  lower: number[];
  depth: { low: number; high: number };
  standsUp: boolean;
  standsDown: boolean;
  /** Whether all that stands there comes out on the other side. */
  through: boolean;
}

/**
 * Tells holes from formed features: what stays between the two sides of the sheet is cut; what stands out or goes in is formed or fastened on,
 * and is left out with the wall healed under it.
 * @param sorted contours of the flat, the largest first: that is the outline.
 * @throws Unusable where the outline itself is formed.
 */
export function featuresOf(sheet: LaidSheet, sorted: SkinContour[]): { features: Feature[]; cuts: SkinContour[] } {
  const { top, thick, skin, choice, findings } = sheet;
  const upper = (f: number) => skin.patchOf[f] >= 0;
  const far = lowerSide(sheet);
  const rests = restsOf(top, upper, (f) => far.has(f), top.faces[skin.patches[0].faces[0]].body);
  const within = Math.max(0.01, thick.value * 5e-3, thick.spread * 1.01, ...top.faces.map((f) => f.fit * 3));
  const restOf = new Map<number, Rest>();
  for (const r of rests) for (const f of r.faces) restOf.set(f, r);
  const features: Feature[] = [];
  const cuts: SkinContour[] = [];
  const told = new Set<Rest>();
  sorted.forEach((c, i) => {
    const own = restsAlong(top, skin, c, restOf);
    for (const r of own) told.add(r);
    const around = aroundOf(sheet, c, own, within);
    const { standsUp, standsDown, lower, faces, patches } = around;
    if (i === 0) {
      if (standsUp || standsDown) refuseFormedEdge(sheet, patches, faces, within);
      if (!around.through) refuseFormedEdge(sheet, patches, faces, -1);
      cuts.push(widened(sheet, c));
      return;
    }
    const upright = uprightRound(top, edgesOf(c), (e) => e.faces.find(upper)!);
    if (!standsUp && !standsDown && lower.length > 0) {
      cuts.push(throughCut(sheet, c, { lower, far, patches, upright }));
      return;
    }
    const { feature, hole } = formedAt(sheet, c, around, { far, upright });
    features.push(feature);
    if (hole) cuts.push(hole);
  });
  const hidden = rests.filter((r) => !told.has(r));
  features.push(...hiddenFeatures(sheet, hidden, far, within));
  pressedOut(features);
  features.forEach((f, n) => (f.leftOut = choice.leaveOut === 'all' || choice.leaveOut.includes(n)));
  if (features.length > 0) findings.push(...featureFindings(features, choice));
  return { features, cuts };
}

const edgesOf = (c: SkinContour): number[] => c.pieces.filter((p) => p.edge >= 0).map((p) => p.edge);

function aroundOf(sheet: LaidSheet, c: SkinContour, rests: ReadonlySet<Rest>, within: number): Around {
  const faces = [...rests].flatMap((r) => r.faces);
  const patches = [...new Set(c.pieces.filter((p) => p.edge >= 0).map((p) => p.patch))];
  const depth = depthOf(sheet, patches, faces);
  return {
    faces,
    patches,
    depth,
    lower: [...rests].flatMap((r) => r.lower),
    standsUp: depth.low < -within,
    standsDown: depth.high > sheet.thick.value + within,
    through: [...rests].every((r) => r.lower.length > 0),
  };
}

/** Something formed or fastened on, with the hole that is cut all the same. */
function formedAt(
  sheet: LaidSheet,
  c: SkinContour,
  around: Around,
  { far, upright }: { far: ReadonlySet<number>; upright: boolean },
): { feature: Feature; hole: SkinContour | null } {
  const { top, thick } = sheet;
  const { faces, lower, standsUp, standsDown } = around;
  const box = boxOfContour(c.contour);
  const feature: Feature = {
    kind: 'formed',
    side: sideOf(around),
    size: [box[2] - box[0], box[3] - box[1]],
    height: heightOf(around, thick.value),
    at: middleOfPieces(c.pieces),
    centre: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2],
    faces,
    leftOut: true,
    hole: null,
    pilot: null,
    outline: c.contour,
    round: isRound(c.contour),
  };
  if (lower.length === 0) return { feature: { ...feature, kind: standsUp ? 'boss' : 'pocket' }, hole: null };
  const uprightDown = uprightRound(top, lower, (e) => e.faces.find((f) => far.has(f))!);
  const oneSided = standsUp !== standsDown;
  if (oneSided && (standsDown ? upright : uprightDown)) return boredAt(sheet, c, feature, { around, far });
  const kind = feature.round ? 'dimple' : cutsAcross(top, c) ? 'louvre' : 'formed';
  return { feature: { ...feature, kind }, hole: null };
}

/** Something stands out on one side, with a bore that comes out of the other: a collar drawn out of the sheet, or a boss. */
function boredAt(
  sheet: LaidSheet,
  c: SkinContour,
  feature: Feature,
  { around, far }: { around: Around; far: ReadonlySet<number> },
): { feature: Feature; hole: SkinContour | null } {
  const other = farContour(sheet, { ...around, far });
  const [bore, foot] = around.standsDown ? [c, other] : [other, c];
  const [d, w] = [bore ? roundOf(bore.contour) : null, foot ? roundOf(foot.contour) : null];
  const thickness = sheet.thick.value;
  if (d !== null && w !== null && (w - d) / 2 <= collarWall * thickness)
    return { feature: { ...feature, kind: 'extruded hole', pilot: pilotFor(d, w, feature.height, thickness) }, hole: null };
  return { feature: { ...feature, kind: 'boss', hole: d }, hole: bore };
}

/** A collar drawn up out of the sheet is about as thick as it, at most this many times. Common practice, no source. */
const collarWall = 1.2;

const sideOf = ({ standsUp, standsDown }: Around): Feature['side'] => (standsUp && standsDown ? 'both' : standsUp ? 'up' : 'down');

/** How far it reaches out of the sheet, else how deep into it, mm. */
function heightOf({ depth, standsUp, standsDown }: Around, thickness: number): number {
  if (!standsUp && !standsDown) return Math.max(0, depth.high);
  return Math.max(standsUp ? -depth.low : 0, standsDown ? depth.high - thickness : 0);
}

/** What stands on a contour's edges. Straight onto the other side or the same is a loop that touches without a cut: nothing to heal. */
function restsAlong(top: Topology, skin: Skin, { pieces }: SkinContour, restOf: ReadonlyMap<number, Rest>): Set<Rest> {
  const out = new Set<Rest>();
  for (const p of pieces) {
    if (p.edge < 0) continue;
    const edge = top.edges[p.edge];
    const rest = restOf.get(
      across(
        edge,
        edge.faces.find((f) => skin.patchOf[f] === p.patch)!,
      ),
    );
    if (rest) out.add(rest);
  }
  return out;
}

/** Faces of the other side of the sheet: those that lie behind the skin. */
function lowerSide({ top, thick, skin }: LaidSheet): Set<number> {
  const far = new Set<number>();
  for (const patch of skin.patches) {
    for (const f of patch.faces)
      for (const g of thick.behind[f]) {
        if (skin.patchOf[g] >= 0) {
          throw new Unusable(
            'both-sides',
            `${faceText(top, f)} and ${faceText(top, g)} are the two sides of one wall, and yet hang together (${placeText(middleOfFace(top, f))}).`,
            'Pick another fixed wall.',
          );
        }
        far.add(g);
      }
  }
  // Sides that no sample met (narrow flanges), by the faces in front of them.
  top.faces.forEach((_, g) => {
    if (skin.patchOf[g] < 0 && thick.paired[g] >= 0.5 && [...thick.behind[g]].some((f) => skin.patchOf[f] >= 0)) far.add(g);
  });
  return far;
}

function restsOf(top: Topology, upper: (f: number) => boolean, lower: (f: number) => boolean, body: number): Rest[] {
  const seen = new Set<number>();
  const out: Rest[] = [];
  top.faces.forEach((face, f) => {
    if (face.body !== body || upper(f) || lower(f) || seen.has(f)) return;
    const rest: Rest = { faces: [f], upper: [], lower: [] };
    seen.add(f);
    for (let i = 0; i < rest.faces.length; i++) {
      for (const e of top.faces[rest.faces[i]].edges) {
        const g = across(top.edges[e], rest.faces[i]);
        if (g < 0) continue;
        if (upper(g)) rest.upper.push(e);
        else if (lower(g)) rest.lower.push(e);
        else if (!seen.has(g)) {
          seen.add(g);
          rest.faces.push(g);
        }
      }
    }
    out.push(rest);
  });
  return out;
}

/** How deep below the up side the vertices of faces lie, by whichever of the patches suits a vertex best. */
function depthOf(sheet: LaidSheet, patches: readonly number[], faces: readonly number[]): { low: number; high: number } {
  let low = Infinity;
  let high = -Infinity;
  for (const f of faces) for (const d of depths(sheet, patches, f)) [low, high] = [Math.min(low, d), Math.max(high, d)];
  return { low: low === Infinity ? 0 : low, high: high === -Infinity ? sheet.thick.value : high };
}

function* depths({ top, skin, thick }: LaidSheet, patches: readonly number[], face: number): Generator<number> {
  const { positions, triangles } = top.mesh;
  for (const t of top.faces[face].triangles) {
    for (let k = 0; k < 3; k++) {
      const v = triangles[t * 3 + k] * 3;
      const p: Vec3 = [positions[v], positions[v + 1], positions[v + 2]];
      let best = NaN;
      let least = Infinity;
      for (const patch of patches) {
        const h = heightOver(top.faces[skin.patches[patch].faces[0]], p);
        if (h === null) continue;
        const over = Math.max(0, h, -h - thick.value);
        if (over < least) {
          least = over;
          best = -h;
        }
      }
      if (!Number.isNaN(best)) yield best;
    }
  }
}

function refuseFormedEdge(sheet: LaidSheet, patches: readonly number[], faces: readonly number[], within: number): never {
  const { top, thick, skin } = sheet;
  const thickness = thick.value;
  refuseCurved(top, skin.patches[0].faces[0]);
  // A wall that tapers has another side, only not where it should be.
  const tapers = faces.find(
    (f) =>
      thick.most[f] > 0 &&
      top.faces[f].area > 20 * thickness * thickness &&
      thick.most[f] < 3 * thickness &&
      thick.most[f] - thick.least[f] + Math.abs(thick.most[f] - thickness) > 1e-3 * thickness,
  );
  if (tapers !== undefined) refuseThickness(top, thick, tapers);
  let worst = faces[0];
  let most = -Infinity;
  for (const f of faces) {
    for (const d of depths(sheet, patches, f)) {
      const over = Math.max(-d, d - thickness);
      if (over > most) [most, worst] = [over, f];
    }
  }
  const where = placeText(middleOfFace(top, worst));
  const bent = ['sphere', 'torus', 'bspline', 'offset', 'other', 'revolution'].includes(top.faces[worst].surface.kind);
  throw new Unusable(
    'edge-formed',
    within < 0
      ? `The border of the sheet never reaches its other side at ${faceText(top, worst)} (${where}).`
      : `The border of the sheet is formed at ${faceText(top, worst)}, ${most.toFixed(2)} mm out of the sheet (${where})${bent ? '; a face curved both ways does not lie flat' : ''}.`,
    bent ? 'Cut the corner open with a relief, or leave this wall out.' : 'Make that wall of one thickness, joined by a bend, or pick another fixed wall.',
  );
}

/**
 * The hole to cut before a collar is drawn up, by volume: what stands above the sheet was in the ring between pilot and bore.
 * d0^2 = d^2 - (w^2 - d^2) h / t. Lengths in mm.
 * @returns null when the collar needs more than the bore holds: it is drawn thinner, by a table of the shop's.
 */
export function pilotFor(bore: number, outer: number, height: number, thickness: number): number | null {
  const squared = bore ** 2 - ((outer ** 2 - bore ** 2) * height) / thickness;
  return squared > (0.1 * bore) ** 2 ? Math.sqrt(squared) : null;
}

/** Features that the up side does not show: bosses and pockets on the other side only. */
function hiddenFeatures({ top, thick, skin, placed }: LaidSheet, rests: readonly Rest[], far: ReadonlySet<number>, within: number): Feature[] {
  const features: Feature[] = [];
  for (const rest of rests) {
    if (rest.upper.length > 0 || rest.lower.length === 0) continue;
    const own = top.edges[rest.lower[0]].faces.find((f) => far.has(f))!;
    const { high, low } = reachOver(top, own, rest.faces);
    const points = rest.lower.flatMap((e) => [0, 0.25, 0.5, 0.75].map((t) => pointOn(top.edges[e].course, t)));
    const at = points.reduce((s, p) => [s[0] + p[0] / points.length, s[1] + p[1] / points.length, s[2] + p[2] / points.length] as Vec3, [0, 0, 0] as Vec3);
    const front = [...thick.behind[own]].find((f) => skin.patchOf[f] >= 0) ?? skin.patches[0].faces[0];
    const patch = skin.patchOf[front];
    const flat = points.map((p) => put(placed.place[patch], skin.patches[patch].develop.at(p)));
    const box = [
      Math.min(...flat.map((p) => p[0])),
      Math.min(...flat.map((p) => p[1])),
      Math.max(...flat.map((p) => p[0])),
      Math.max(...flat.map((p) => p[1])),
    ];
    features.push({
      kind: high > within ? 'boss' : 'pocket',
      side: 'down',
      size: [box[2] - box[0], box[3] - box[1]],
      height: high > within ? high : -low,
      at,
      centre: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2],
      faces: rest.faces,
      leftOut: true,
      hole: null,
      pilot: null,
      outline: null,
      round: rest.lower.every((e) => isCircle(top, e)),
    });
  }
  return features;
}

/** How far faces stand out of a face, and how deep they go below it, mm. */
function reachOver(top: Topology, own: number, faces: number[]): { high: number; low: number } {
  let [high, low] = [0, 0];
  for (const f of faces) {
    for (const t of top.faces[f].triangles) {
      for (let k = 0; k < 3; k++) {
        const v = top.mesh.triangles[t * 3 + k] * 3;
        const h = heightOver(top.faces[own], [top.mesh.positions[v], top.mesh.positions[v + 1], top.mesh.positions[v + 2]]) ?? 0;
        [high, low] = [Math.max(high, h), Math.min(low, h)];
      }
    }
  }
  return { high, low };
}

/** A boss with a pocket behind it is one thing that was pressed out of the sheet. */
function pressedOut(features: Feature[]): void {
  for (const boss of features.filter((f) => f.kind === 'boss')) {
    const behind = features.findIndex(
      (f) => f.kind === 'pocket' && f.side !== boss.side && Math.hypot(f.centre[0] - boss.centre[0], f.centre[1] - boss.centre[1]) < Math.min(...boss.size) / 4,
    );
    if (behind < 0) continue;
    const pocket = features[behind];
    boss.kind = boss.round || pocket.round ? 'dimple' : 'formed';
    boss.faces = [...boss.faces, ...pocket.faces];
    boss.size = [Math.max(boss.size[0], pocket.size[0]), Math.max(boss.size[1], pocket.size[1])];
    features.splice(behind, 1);
  }
}

function featureFindings(features: Feature[], choice: FlattenChoice): Finding[] {
  const counts = new Map<string, number>();
  for (const f of features) counts.set(f.kind, (counts.get(f.kind) ?? 0) + 1);
  const list = [...counts].map(([k, n]) => `${n} × ${k}`).join(', ');
  const stay = features.filter((f) => !f.leftOut);
  const out: Finding[] = [];
  const drawn = features.filter((f) => f.kind === 'extruded hole' && f.leftOut);
  const pilots = drawn.filter((f) => f.pilot !== null);
  if (pilots.length > 0) {
    const sizes = [...new Set(pilots.map((f) => `Ø ${f.pilot!.toFixed(2)}`))].join(', ');
    out.push({
      code: 'pilot-holes',
      severity: 'look',
      count: pilots.length,
      message: `${pilots.length} pilot ${pilots.length === 1 ? 'hole is' : 'holes are'} cut for extruded holes: ${sizes} mm, by the volume of their collars.`,
      remedy: 'Check them against what your tool asks for.',
    });
  }
  if (pilots.length < drawn.length) {
    out.push({
      code: 'no-pilot',
      severity: 'look',
      count: drawn.length - pilots.length,
      message: `${drawn.length - pilots.length} extruded ${drawn.length - pilots.length === 1 ? 'hole has' : 'holes have'} a collar that holds more than its bore did: no pilot hole follows from its volume.`,
      remedy: 'Drill the pilot that your tool asks for at the mark.',
    });
  }
  const left =
    choice.leaves === 'nothing'
      ? 'They leave nothing on the flat'
      : choice.leaves === 'centre'
        ? 'Their centres are marked'
        : 'Their outlines are on a layer of their own';
  if (stay.length < features.length) {
    out.push({
      code: 'features-left-out',
      severity: 'look',
      count: features.length - stay.length,
      message: `Formed or fastened on: ${list}. ${stay.length > 0 ? `${features.length - stay.length} are left out.` : 'All are left out.'} ${left}.`,
      remedy: 'Form, press or weld them after cutting.',
    });
  }
  if (stay.length > 0) {
    throw new Unusable(
      'features-kept',
      `${stay.length} formed or fastened features (${list}) are not left out, and do not lie flat; first a ${stay[0].kind} at ${placeText(stay[0].at)}.`,
      'Leave them out, and form or fasten them after cutting.',
    );
  }
  return out;
}

const isRound = (contour: Contour): boolean => roundOf(contour) !== null;

/** Whether part of the border is cut: the feature is open on a side, as a louvre is. */
function cutsAcross(top: Topology, c: SkinContour): boolean {
  return c.pieces.some((p) => p.edge >= 0 && uprightRound(top, [p.edge], (e) => e.faces[0]));
}

function isCircle(top: Topology, e: number): boolean {
  const { course } = top.edges[e];
  return course.kind === 'exact' && course.curve.kind === 'circle';
}
