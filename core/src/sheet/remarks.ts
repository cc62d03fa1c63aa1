import type { Skin } from './hinges.ts';
import type { FoldBack } from '../model/flat.ts';
import { lengthOfContour, type Contour } from '../curves/drawing.ts';
import { crossOf, distance, type P2 } from '../curves/segment.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import type { BendGroup } from './bends.ts';
import type { FlattenChoice, Pattern } from './pattern.ts';
import type { Thickness } from './thickness.ts';
import { placeText, pointOn, type Topology } from './topology.ts';

/** A bend that begins in the middle of an edge with no relief cut beside it tears there. Common practice, no source. */
export function reliefFindings(top: Topology, skin: Skin): Finding[] {
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

export function grainFindings(bends: Pattern['bends'], choice: FlattenChoice): Finding[] {
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

export function ruleFindings(groups: BendGroup[]): Finding[] {
  const sharp = groups.filter((g) => g.drawnSharp).length;
  const said: Finding[] = [];
  if (sharp > 0) {
    said.push({
      code: 'sharp-corners',
      severity: 'look',
      count: sharp,
      message: `${sharp} ${sharp === 1 ? 'bend is' : 'bends are'} drawn with a sharp outer corner. Sheet bends round: the walls end where the inside of the bend begins.`,
      remedy: 'Type the inside radius of your tool (Tool radius), so that the flat is right for it.',
    });
  }
  const doubts = [...new Set(groups.flatMap((g) => (g.doubt ? [g.doubt] : [])))];
  const stretched = doubts.map((message) => ({
    code: 'rule-stretched',
    severity: 'look' as const,
    count: groups.filter((g) => g.doubt === message).length,
    message,
    remedy: 'Measure a test bend and add a row to the table.',
  }));
  return [...said, ...stretched];
}

/** What the source itself is off by: nothing is told of what agrees within a micrometre. Lengths in mm. */
export function sourceFindings(top: Topology, thick: Pick<Thickness, 'value' | 'spread'>, fit: number): Finding[] {
  const out: Finding[] = [];
  if (top.exact && fit > 1e-3) {
    out.push({
      code: 'source-inexact',
      severity: 'clear',
      count: 1,
      message: `The source is accurate to ${fit.toPrecision(2)} mm only: bends are out of round, or surfaces off their edges, by that. Angles are taken from the walls.`,
      remedy: 'Nothing to do, unless the part needs it finer.',
    });
  }
  if (top.exact && thick.spread > Math.max(0.005 * thick.value, 4 * fit, 0.01)) {
    out.push({
      code: 'thickness-varies',
      severity: 'look',
      count: 1,
      message: `The sheet is not of one thickness: ${thick.value.toFixed(3)} mm was taken, and it differs by ${thick.spread.toFixed(3)} mm from place to place.`,
      remedy: 'Fine for a rounded or worn model; else check it where it was made.',
    });
  }
  return out;
}

/** A strip counts as about as wide as thick within this share of its thickness. */
export const stripShare = 0.5;

/** A part as wide as it is thick may be a plate cut to a profile, or a strip bent: both are unfolded rightly, and differently. */
export function stripFinding(thickness: number, area: number, cuts: readonly Contour[], bends: number): Finding[] {
  if (bends > 0) return [];
  const around = cuts.reduce((n, c) => n + lengthOfContour(c), 0);
  const wide = (2 * area) / around;
  if (!(around > 20 * thickness) || Math.abs(wide - thickness) > stripShare * thickness) return [];
  return [
    {
      code: 'strip-or-profile',
      severity: 'look',
      count: 1,
      message: `The part is about as wide (${wide.toFixed(2)} mm) as it is thick (${thickness.toFixed(2)} mm): it was taken as a plate cut to a profile, and may as well be a strip that is bent.`,
      remedy: 'If it is a strip, pick one of its narrow sides as the fixed wall.',
    },
  ];
}

/** Share of the volume that may be missing before a flat is taken for wrong: facets of a mesh lose some. */
const missing = (top: Topology): number => (top.exact ? 5e-3 : 3e-2);

/** Findings that say why a folded flat has another volume than the design. */
export const volumeReasons: readonly string[] = ['edges-bevelled', 'hole-bevelled', 'countersink', 'other-bodies', 'sharp-corners'];

/** Whether a flat is held against itself as it was made, since the design has more or less than it on purpose. */
export const heldByItself = (pattern: Pick<Pattern, 'features' | 'findings'>): boolean =>
  pattern.features.length > 0 ||
  pattern.findings.some((f) => volumeReasons.includes(f.code) || f.code === 'reliefs-put' || (f.code === 'ripped' && f.severity === 'look'));

/**
 * A flat that does not hold the whole sheet is never given out: what was left out must be known by name.
 * @param open mm3 that ripped corners leave open.
 * @throws Unusable when folded volume and design differ with no feature, bevel or other body to say why.
 */
export function proveWhole(pattern: Pattern, back: FoldBack, top: Topology, open = 0): void {
  const known = pattern.features.length > 0 || pattern.findings.some((f) => volumeReasons.includes(f.code)) || top.bodies > 1;
  const off = Math.abs(back.volume + open - back.designed);
  if (known || off <= (missing(top) + pattern.spread / pattern.thickness) * back.designed) return;
  throw new Unusable(
    'not-whole',
    `The flat would not hold the whole part: folded again it has ${back.volume.toFixed(0)} mm³ of ${back.designed.toFixed(0)} mm³.`,
    'Pick the fixed wall by hand, or heal the solid first.',
  );
}

/** Thicker than this share of its shorter side, a flat is more of a block than of a sheet. Common practice, no source. */
const blockShare = 0.25;

export function blockFinding(thickness: number, [left, bottom, right, top]: readonly number[]): Finding[] {
  const side = Math.min(right - left, top - bottom);
  if (thickness <= blockShare * side) return [];
  return [
    {
      code: 'more-a-block',
      severity: 'look',
      count: 1,
      message: `The part is ${Number(thickness.toFixed(2))} mm thick and its flat only ${Number(side.toFixed(2))} mm wide: more of a block than of a sheet.`,
      remedy: 'Check that it is to be cut from sheet.',
    },
  ];
}
