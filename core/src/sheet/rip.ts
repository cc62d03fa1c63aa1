import type { Hinge, Ripped, Skin } from './hinges.ts';
import type { Rip } from './asked.ts';
import { lengthOf, sub } from '../geometry/vector.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import type { Thickness } from './thickness.ts';
import { faceText, pointOn, type Topology } from './topology.ts';

/**
 * Takes the hinges that are to be ripped out of a skin. Two walls with a bend between them are ripped beside the second.
 * Example: `ripSkin(top, thick, skin, [{ between: [2, 6] }])`.
 * @throws Unusable when two faces do not meet, or when the part would fall into two.
 */
export function ripSkin(top: Topology, thick: Thickness, skin: Omit<Skin, 'ripped'>, rips: readonly Rip[]): Skin {
  const gone = new Set<Hinge>();
  const ripped: Ripped[] = [];
  for (const rip of rips) {
    if (!('between' in rip)) continue;
    const faces = rip.between;
    for (const h of hingesBetween(top, thick, skin, faces)) {
      if (gone.has(h)) continue;
      gone.add(h);
      const length = h.edges.reduce((n, e) => n + lengthOf(sub(pointOn(top.edges[e].course, 1), pointOn(top.edges[e].course, 0))), 0);
      ripped.push({ faces, edges: h.edges, length, sharp: h.sharp, bend: [h.a, h.b].find((p) => skin.patches[p].kind === 'bend') ?? null });
    }
  }
  const hinges = skin.hinges.filter((h) => !gone.has(h));
  const reached = new Set([0]);
  for (let grown = true; grown;) {
    grown = false;
    for (const h of hinges) {
      if (reached.has(h.a) === reached.has(h.b)) continue;
      reached.add(h.a).add(h.b);
      grown = true;
    }
  }
  if (reached.size < skin.patches.length) {
    throw new Unusable(
      'rip-apart',
      `Ripped there, the part falls in two: ${skin.patches.length - reached.size} of its ${skin.patches.length} walls and bends hang on nothing.`,
      'Leave one of the rips away, so that every wall keeps a bend.',
    );
  }
  return { ...skin, hinges, ripped };
}

function hingesBetween(top: Topology, thick: Thickness, skin: Omit<Skin, 'ripped'>, faces: readonly [number, number]): Hinge[] {
  for (const f of faces)
    if (!top.faces[f]) throw new Unusable('no-such-face', `There is no face ${f + 1} to rip at; the part has ${top.faces.length}.`, 'Pick another face.');
  const [a, b] = faces.map((f) => patchesWith(thick, skin, f));
  const direct = skin.hinges.filter((h) => (a.has(h.a) && b.has(h.b)) || (a.has(h.b) && b.has(h.a)));
  if (direct.length > 0) return direct;
  const bends = new Set(skin.hinges.flatMap((h) => (a.has(h.a) ? [h.b] : a.has(h.b) ? [h.a] : [])).filter((p) => skin.patches[p].kind !== 'wall'));
  const beside = skin.hinges.filter((h) => (bends.has(h.a) && b.has(h.b)) || (bends.has(h.b) && b.has(h.a)));
  if (beside.length > 0) return beside;
  throw new Unusable(
    'no-rip',
    `Nothing can be ripped between ${faceText(top, faces[0])} and ${faceText(top, faces[1])}: they do not meet in a bend or a corner.`,
    'Name two walls that meet, or a wall and its bend.',
  );
}

/** Patches of the followed side that a face belongs to, or lies behind. */
function patchesWith(thick: Thickness, skin: Omit<Skin, 'ripped'>, face: number): Set<number> {
  return new Set([face, ...thick.behind[face]].map((f) => skin.patchOf[f]).filter((p) => p >= 0));
}

/** mm3 that a flat folded with open corners has less than a design with closed ones: outside each, a kite of T and T tan(A / 2). */
export const openCorners = (skin: Skin, t: number): number => skin.ripped.reduce((n, r) => n + r.length * t * t * Math.tan(r.sharp / 2), 0);

/** What was ripped, told in the file made from it. */
export function ripFindings(top: Topology, skin: Skin): Finding[] {
  if (skin.ripped.length === 0) return [];
  const where = skin.ripped.map((r) => `${faceText(top, r.faces[0])} / ${faceText(top, r.faces[1])} (${r.length.toFixed(1)} mm)`).join('; ');
  const open = skin.ripped.some((r) => r.sharp > 0);
  const loose = skin.patches.filter(
    (p, i) => p.kind === 'bend' && skin.ripped.some((r) => r.bend === i) && skin.hinges.filter((h) => h.a === i || h.b === i).length < 2,
  ).length;
  const curl: Finding[] =
    loose === 0
      ? []
      : [
          {
            code: 'bend-without-flange',
            severity: 'look',
            count: loose,
            message: `Ripped right beside ${loose === 1 ? 'a bend, which has' : `${loose} bends, which have`} no wall behind it then: no press brake holds it, it would have to be rolled.`,
            remedy: 'Rip down the middle of a wall instead, by its face (7@middle).',
          },
        ];
  return [
    ...curl,
    {
      code: 'ripped',
      severity: open ? 'look' : 'clear',
      count: skin.ripped.length,
      message: `Ripped as asked, where the design is closed: ${where}.${open ? ' At sharp corners the walls meet corner to corner, and the outer corner stays open.' : ''}`,
      remedy: open ? 'Weld the open corners; or lengthen one wall by the thickness where it is to lie over the other.' : 'Weld or rivet the seam.',
    },
  ];
}
