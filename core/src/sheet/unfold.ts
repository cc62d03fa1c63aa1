import type { Loop, Skin } from './hinges.ts';
import { areaOfContour, lengthOfContour } from '../curves/drawing.ts';
import { checkDrawing } from '../curves/check.ts';
import type { P2 } from '../curves/segment.ts';
import { add, scaled } from '../geometry/vector.ts';
import { Unusable } from '../base/finding.ts';
import { bendsOf, outOfRound } from './bends.ts';
import { foldBackOf } from './fold.ts';
import { featuresOf } from './features.ts';
import { flatDrawing, pilotOf } from './layers.ts';
import type { FlattenChoice, Pattern, PatternPatch } from './pattern.ts';
import { put, movedContour, type FlatPlace } from './pieces.ts';
import { followSkin, loopKey, refuseThickness } from './skin.ts';
import { sheetLike, thicknessOf, thicknessShare, type SheetLike, type Thickness } from './thickness.ts';
import { faceText, middleOfFace, placeText, pointOn, type Topology } from './topology.ts';
import { layOut, type LaidSheet, type Placed } from './lay-out.ts';
import { outlines } from './outline.ts';
import { patchesOf, designedEdges, rootOf } from './patches.ts';
import { withPress } from './press.ts';
import { withReliefs } from './reliefs.ts';
import { openCorners, ripFindings } from './rip.ts';
import { blockFinding, grainFindings, proveWhole, reliefFindings, ruleFindings, sourceFindings, stripFinding } from './remarks.ts';

/** Reports how far it is (0 to 1) and what is done; throws to give up. */
export type Progress = (share: number, doing: string) => void;

/** Facets that stand for the part: only where a ray meets, which face it is, and how far features reach; distances are exact. mm and rad. */
export const sheetFacets = { deflection: 0.05, angle: 0.4 };

/**
 * Unfolds a sheet part: finds the sheet's thickness, follows one side of it from the fixed wall over its bends, counts each bend by the rule,
 * and lays everything into one plane. Nothing comes of a part that can't be unfolded but the reason.
 * @param volume of the design, mm3, for the evidence.
 * @throws Unusable with the face and place.
 */
export function unfold(top: Topology, choice: FlattenChoice, volume: number, progress: Progress = () => {}): Pattern {
  const strict = Math.min(thicknessShare, choice.tolerance);
  try {
    return unfoldWithin(top, { ...choice, tolerance: strict }, volume, progress);
  } catch (thrown) {
    // Only a sheet that is not even enough is given the whole tolerance: what is nearly as thick may be something formed.
    if (!(thrown instanceof Unusable) || strict === choice.tolerance || !uneven.includes(thrown.code)) throw thrown;
    try {
      return unfoldWithin(top, choice, volume, progress);
    } catch {
      throw thrown;
    }
  }
}

/** A sheet that was measured: its faces and thickness, what is asked of its flat, and the volume of the design, mm3. */
interface Measured {
  top: Topology;
  thick: Thickness;
  choice: FlattenChoice;
  volume: number;
}

/** Refusals that a wider tolerance of the thickness may lift. */
const uneven: readonly string[] = ['not-constant', 'edge-formed', 'no-sheet'];

function unfoldWithin(top: Topology, choice: FlattenChoice, volume: number, progress: Progress): Pattern {
  progress(0.1, 'measuring the thickness');
  const { thick, body, others } = sheetBody(top, choice);
  const start = fixedWall(top, thick, body, choice.face);
  progress(0.3, 'following the walls and bends');
  const back = [...thick.behind[start]].find((g) => top.faces[g].surface.kind === 'plane');
  let pattern: Pattern;
  try {
    pattern = fromSide({ top, thick, choice, volume }, start, progress);
  } catch (thrown) {
    // A tiny step on one side of the sheet stops it there; the other side may be whole.
    if (!(thrown instanceof Unusable) || back === undefined || choice.up !== 'bends-up' || !sideways.includes(thrown.code)) throw thrown;
    const other = [start, back].flatMap((side) => {
      try {
        return [fromSide({ top, thick, choice: { ...choice, up: 'face' }, volume }, side, progress)];
      } catch {
        return [];
      }
    })[0];
    if (!other) throw thrown;
    pattern = other;
    pattern.findings.push({
      code: 'other-side',
      severity: 'look',
      count: 1,
      message: 'One side of the sheet is broken by a step, so the other one was followed; that is the side that lies up.',
      remedy: 'Check the directions of the bends; heal the solid if the step is not meant.',
    });
  }
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

/** Refusals that may hold for one side of the sheet only. */
const sideways: readonly string[] = ['not-constant', 'edge-formed', 'outline-open', 'both-sides', 'not-whole', 'no-outline'];

/** The pattern as one side of the sheet gives it, turned over where the choice asks for the other to lie up. */
function fromSide(measured: Measured, start: number, progress: Progress): Pattern {
  const { top, thick, choice, volume } = measured;
  let { skin, placed } = followAll(measured, start);
  if (choice.up !== 'face') {
    const back = [...thick.behind[start]].find((g) => top.faces[g].surface.kind === 'plane');
    const rising = placed.groups.reduce((n, g) => n + (g.up ? 1 : -1), 0);
    if (
      back !== undefined &&
      (choice.up === 'back' || rising < 0 || (rising === 0 && placed.groups.length > 0 && top.faces[back].area > top.faces[start].area))
    ) {
      ({ skin, placed } = followAll(measured, back));
    }
  }
  progress(0.6, 'drawing the flat');
  return patternOf({ top, thick, skin, placed, choice, findings: [] }, volume);
}

/** The body with the largest area on sheet-like pairs, and its thickness. @throws Unusable when nothing is like a sheet. */
function sheetBody(top: Topology, choice: FlattenChoice): { thick: Thickness; body: number; others: number[] } {
  if (choice.face !== null && !top.faces[choice.face])
    throw new Unusable('no-such-face', `There is no face ${choice.face + 1}; the part has ${top.faces.length}.`, 'Pick another face.');
  const best = mostSheet(top, choice);
  if (!best) return refuseNoSheet('');
  const { like, body } = best;
  const thick = thicknessOf(top, like);
  if (thick.share < leastSheet) {
    const worst = most(top.faces.keys(), (f) => spanAt(thick, f));
    if (thick.facing > 0.5 && worst !== null && spanAt(thick, worst) > 0.02 * thick.value) refuseThickness(top, thick, worst);
    refuseNoSheet(` Only ${Math.round(thick.share * 100)} % of its area has another side at one distance.`);
  }
  const allowed = Math.max(0.01, 2 * choice.tolerance * thick.value, ...top.faces.map((f) => f.fit * 4));
  if (thick.spread > allowed) {
    const sides = [...top.faces.keys()].filter((f) => thick.paired[f] >= 0.5);
    refuseThickness(
      top,
      thick,
      most(sides, (f) => spanAt(thick, f))!,
    );
  }
  return { thick, body, others: Array.from({ length: top.bodies }, (_, i) => i).filter((i) => i !== body) };
}

function mostSheet(top: Topology, choice: FlattenChoice): { like: SheetLike; body: number } | null {
  const wanted = choice.face === null ? null : top.faces[choice.face].body;
  let best: { like: SheetLike; body: number } | null = null;
  for (const [body, faces] of facesOfBodies(top).entries()) {
    if (wanted !== null && body !== wanted) continue;
    const like = sheetLike(top, faces, choice.tolerance);
    if (Number.isFinite(like.value) && (!best || like.share * like.area > best.like.share * best.like.area)) best = { like, body };
  }
  return best;
}

/** A body with less of its area on pairs at one distance is no sheet. */
const leastSheet = 0.3;

function facesOfBodies(top: Topology): number[][] {
  const out = Array.from({ length: top.bodies }, (): number[] => []);
  top.faces.forEach((f, i) => out[f.body].push(i));
  return out;
}

/** Largest less smallest distance behind a face, mm; 0 where nothing faces it. */
const spanAt = ({ least, most }: Thickness, face: number): number => (most[face] >= least[face] ? most[face] - least[face] : 0);

/** The one of which a figure is largest, the first of equals; null of none. */
function most(list: Iterable<number>, figure: (n: number) => number): number | null {
  let best: number | null = null;
  let largest = -Infinity;
  for (const n of list) if (figure(n) > largest) [best, largest] = [n, figure(n)];
  return best;
}

function refuseNoSheet(share: string): never {
  throw new Unusable(
    'no-sheet',
    `No thickness of a sheet was found in this part.${share}`,
    'Unfold sheet parts only: walls of one thickness, joined by bends.',
  );
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
function followAll({ top, thick, choice }: Measured, start: number): { skin: Skin; placed: Placed } {
  const formed = new Set<number>();
  for (let round = 0; round < 1000; round++) {
    const skin = followSkin({ top, thick }, start, formed, choice.rips);
    const closed = skin.patches.findIndex((p) => p.develop.closed);
    if (closed >= 0) {
      const face = skin.patches[closed].faces[0];
      throw new Unusable(
        'closed-tube',
        `The round wall at ${faceText(top, face)} closes on itself (${placeText(middleOfFace(top, face))}), so it can't be unfolded.`,
        'Rip it along its length (Rip), or give it a seam where it was made. Tube is cut to length and bent, not unfolded.',
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
        `Rip it there (Rip: ${f + 1}/${g + 1})${top.faces[f].surface.kind === 'plane' && top.faces[g].surface.kind === 'plane' ? '' : `, or down the middle of a wall (Rip: ${(top.faces[g].surface.kind === 'plane' ? g : f) + 1}@middle)`}; or open a small gap between the two walls.`,
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

/** Contours of the flat, features, bend lines, and what is needed to fold it again. */
function patternOf(sheet: LaidSheet, volume: number): Pattern {
  const { top, thick, skin, placed, choice, findings } = sheet;
  const contours = outlines(sheet, choice.deviation);
  const sorted = contours.sort((a, b) => Math.abs(areaOfContour(b.contour)) - Math.abs(areaOfContour(a.contour)));
  if (sorted.length === 0) throw new Unusable('no-outline', 'The flat has no outline: the sheet is a closed shell.', 'Open a seam.');
  const { features, cuts } = featuresOf(sheet, sorted);
  const kept = cuts.map((c) => c.contour);
  const outer = kept[0];
  const holes = [...kept.slice(1), ...features.flatMap(pilotOf)];
  const patches = patchesOf(sheet);
  const edges = designedEdges(sheet, cuts);
  const fit = Math.max(outOfRound(skin, thick.value), ...top.faces.map((f) => f.fit));
  const root = rootOf(top, skin);
  const groups = placed.groups;
  const deviation = Math.max(0, ...cuts.flatMap((c) => c.pieces.map((p) => p.off)));
  const bends = groups.map((g) => g.bend);
  const { drawing, turned } = flatDrawing({ outer, holes, groups, features, patches }, choice);
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
  findings.push(
    ...blockFinding(thick.value, box),
    ...sourceFindings(top, thick, fit),
    ...stripFinding(thick.value, area, kept, bends.length),
    ...reliefFindings(top, skin),
    ...grainFindings(bends, choice),
    ...ruleFindings(groups),
    ...ripFindings(top, skin),
  );
  const pattern: Pattern = {
    thickness: thick.value,
    spread: thick.spread,
    drawing,
    box,
    area,
    length: [outer, ...holes].reduce((n, c) => n + lengthOfContour(c), 0),
    holes: holes.length,
    bends: bends.sort((a, b) => a.order - b.order),
    features,
    root: { ...root, at: add(add(root.at, scaled(root.x, -inverse(turned)[0])), scaled(root.y, -inverse(turned)[1])), ...turnedAxes(root, turned) },
    patches: movedPatches,
    edges,
    deviation,
    fit,
    exact: top.exact,
    flatAlready: skin.patches.length === 1 && skin.patches[0].kind === 'wall',
    findings,
    choice,
    foldBack: null,
    volume,
  };
  const back = foldBackOf(
    pattern,
    pattern.drawing,
    [outer, ...holes].map((c) => movedContour(c, turned)),
  );
  pattern.foldBack = back;
  proveWhole(pattern, back, top, openCorners(skin, thick.value));
  return withPress(withReliefs(pattern, choice.reliefs), choice.press);
}

/** Where the flat's origin lies in the fixed wall's own coordinates, negated. */
function inverse(m: FlatPlace): P2 {
  return [m.c * m.x + m.s * m.y, -m.s * m.x + m.c * m.y];
}

function turnedAxes(root: Pattern['root'], m: FlatPlace): Pick<Pattern['root'], 'x' | 'y'> {
  return { x: add(scaled(root.x, m.c), scaled(root.y, -m.s)), y: add(scaled(root.x, m.s), scaled(root.y, m.c)) };
}
