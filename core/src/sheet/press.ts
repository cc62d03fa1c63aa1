import { usualPress, type PressChoice } from './asked.ts';
import type { Bend, Pressed } from '../model/flat.ts';
import Joi from 'joi';
import { contoursOf, type Contour, type Drawing } from '../curves/drawing.ts';
import { flattened } from '../curves/flatten.ts';
import { crossOf, distance, type P2 } from '../curves/segment.ts';
import { add, cross, dot, scaled, sub, unit, type Vec3 } from '../geometry/vector.ts';
import type { Finding } from '../base/finding.ts';
import { Folded } from './fold.ts';
import type { Pattern, PatternPatch } from './pattern.ts';

export interface PressReport {
  bends: Pressed[];
  /** An order in which nothing is hit, by the bends' own numbers; null when the usual one does, or none was found. */
  better: number[] | null;
  findings: Finding[];
}

/** Checks a press that comes from outside. */
export const pressSchema = Joi.object<PressChoice>({
  opening: Joi.number().strict().min(1).max(1000).allow(null).default(null),
  strength: Joi.number().strict().min(10).max(3000).default(usualPress.strength),
  punch: Joi.object({
    angle: Joi.number().strict().min(10).max(180).required(),
    width: Joi.number().strict().min(1).max(500).required(),
    height: Joi.number().strict().min(5).max(2000).required(),
  }).default(usualPress.punch),
  ram: Joi.number().strict().min(1).max(2000).default(usualPress.ram),
  die: Joi.object({ shoulder: Joi.number().strict().min(0.5).max(500).required(), height: Joi.number().strict().min(5).max(1000).required() }).default(
    usualPress.die,
  ),
  most: Joi.number().strict().greater(0).max(1e6).allow(null).default(null),
});

/** Openings of V dies, mm: the preferred numbers that makers offer. Common practice, no source. */
const openings = [4, 6, 8, 10, 12, 16, 20, 25, 32, 40, 50, 63, 80, 100, 125, 160, 200, 250];

/**
 * Opening that suits: 8 T up to 12 mm of sheet, 10 T over it; the next one that is made. Common practice, no source.
 * Example: 2 mm sheet takes 16 mm.
 */
export function openingFor(thickness: number): number {
  const wanted = thickness * (thickness > 12 ? 10 : 8);
  return openings.find((v) => v >= wanted - 1e-9) ?? openings[openings.length - 1];
}

/**
 * Force for bending in air, kN: F = (1 + 4 T / V) Rm L T2 / V. Source: Oehler and Kaiser, Schnitt-, Stanz- und Ziehwerkzeuge (from memory).
 * @param strength MPa; lengths in mm.
 */
export const airBendForce = (strength: number, thickness: number, length: number, opening: number): number =>
  ((1 + (4 * thickness) / opening) * strength * length * thickness ** 2) / opening / 1000;

/**
 * The shortest leg that rests on the die's shoulder to the end, from the bend line: half the opening, along the leg as it rises,
 * V / (2 cos(A / 2)): 0.71 V for 90 degrees, half the opening for slight ones.
 */
export const leastFlangeFor = (opening: number, angle: number): number => opening / (2 * Math.cos((Math.min(angle, 150) * Math.PI) / 360));

/** Bends that are tried in another order, at most: beyond that the usual order is only checked. */
const mostTried = 14;
/** A sheet that is nearer than this touches a tool, and may, mm. */
const touching = 0.1;

/**
 * What a press brake needs for a flat: force, shortest flange, holes in the way of the die, and whether the sheet runs into the tools in the
 * order of its bends. Walls are taken whole, as their borders; rounds of bends and what was formed are not followed.
 */
export function pressReport(pattern: Pick<Pattern, 'patches' | 'root' | 'thickness' | 'bends'>, drawing: Drawing, choice: PressChoice): PressReport {
  const made = pattern.bends.filter((b) => !b.rolled && b.lines.length > 0);
  const cuts = contoursOf(drawing).filter((c) => c.meaning === 'cut');
  const holes = contoursOf(drawing).filter((c) => c.meaning === 'hole');
  const groups = groupsOf(pattern);
  const opening = choice.opening ?? openingFor(pattern.thickness);
  const brake: Brake = { pattern, groups, opening, choice };
  const usual = made.map((b) => b.order);
  const done = new Set<number>();
  const bends = made.map((b): Pressed => {
    const hits = hitsOf(brake, b.order, done);
    done.add(b.order);
    return {
      order: b.order,
      opening,
      force: airBendForce(choice.strength, pattern.thickness, b.length, opening),
      leastFlange: leastFlangeFor(opening, b.angle),
      flange: Math.min(...b.lines.map((l) => reach(l, cuts))),
      hole: holes.length === 0 ? null : finite(Math.min(...b.lines.map((l) => nearest(l, holes)))),
      hits,
    };
  });
  const better = bends.some((b) => b.hits) && made.length <= mostTried ? otherOrder(brake, usual) : null;
  return { bends, better, findings: said(bends, made, better, choice) };
}

const finite = (v: number): number | null => (Number.isFinite(v) ? v : null);

/** Patches of each bend, by its order. */
function groupsOf(pattern: Pick<Pattern, 'patches' | 'bends'>): Map<number, number[]> {
  const out = new Map<number, number[]>();
  pattern.patches.forEach((p, i) => {
    if (p.kind === 'wall' || !p.hinge) return;
    const order = orderOf(pattern, p);
    if (order === null) return;
    const list = out.get(order);
    if (list) list.push(i);
    else out.set(order, [i]);
  });
  return out;
}

/** A patch's bend by its line: the middle of its zone lies on it. */
function orderOf(pattern: Pick<Pattern, 'bends'>, p: PatternPatch): number | null {
  if (!p.bend || !p.hinge) return null;
  const [a, b] = p.hinge;
  const long = distance(a, b);
  const n: P2 = [-(b[1] - a[1]) / long, (b[0] - a[0]) / long];
  const m: P2 = [(a[0] + b[0]) / 2 + (n[0] * p.bend.width) / 2, (a[1] + b[1]) / 2 + (n[1] * p.bend.width) / 2];
  let best: { order: number; off: number } | null = null;
  for (const bend of pattern.bends) {
    for (const [u, v] of bend.lines) {
      const size = distance(u, v);
      const along: P2 = [(v[0] - u[0]) / size, (v[1] - u[1]) / size];
      const off = Math.abs(crossOf(along, [m[0] - u[0], m[1] - u[1]])) + Math.abs(crossOf(along, [(b[0] - a[0]) / long, (b[1] - a[1]) / long])) * size;
      if (!best || off < best.off) best = { order: bend.order, off };
    }
  }
  return best && best.off < 1e-3 * (1 + p.bend.width) ? best.order : null;
}

/** Share of a bend line at each end where a mitred flange may be short. */
const mitred = 0.15;

/** How far the sheet reaches straight away from a bend line, at the least of both sides and many places between its mitred ends, mm. */
function reach([a, b]: [P2, P2], contours: readonly Contour[]): number {
  const long = distance(a, b);
  const u: P2 = [(b[0] - a[0]) / long, (b[1] - a[1]) / long];
  const borders = contours.map((c) => flattened(c.segments, 0.02));
  const n = Math.max(16, Math.min(200, Math.ceil(long / 2)));
  let shortest = Infinity;
  for (let i = 0; i <= n; i++) {
    const t = mitred + ((1 - 2 * mitred) * i) / n;
    const p: P2 = [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
    for (const side of [1, -1]) {
      const d: P2 = [-u[1] * side, u[0] * side];
      for (const points of borders) {
        let first = Infinity;
        for (let k = 0; k < points.length; k++) {
          const [q, r] = [points[k], points[(k + 1) % points.length]];
          const e: P2 = [r[0] - q[0], r[1] - q[1]];
          const den = crossOf(d, e);
          if (Math.abs(den) < 1e-12) continue;
          const from: P2 = [q[0] - p[0], q[1] - p[1]];
          const s = crossOf(from, e) / den;
          const w = crossOf(from, d) / den;
          if (s > 1e-6 && w >= 0 && w <= 1) first = Math.min(first, s);
        }
        shortest = Math.min(shortest, first);
      }
    }
  }
  return shortest;
}

/** The least distance of some borders from a bend line, mm; Infinity where none is. */
function nearest([a, b]: [P2, P2], contours: readonly Contour[]): number {
  const long = distance(a, b);
  const u: P2 = [(b[0] - a[0]) / long, (b[1] - a[1]) / long];
  let least = Infinity;
  for (const c of contours)
    for (const [x, y] of flattened(c.segments, 0.005)) {
      const along = Math.max(0, Math.min(long, (x - a[0]) * u[0] + (y - a[1]) * u[1]));
      least = Math.min(least, Math.hypot(x - a[0] - u[0] * along, y - a[1] - u[1] * along));
    }
  return least;
}

/** The tools about a bend at its end: X across, Y up with the punch, from the inner corner of the sheet. Convex pieces, counter-clockwise. */
function toolsFor(choice: PressChoice, opening: number, angle: number, thickness: number): { punch: P2[][]; die: P2[][] } {
  const { punch, die, ram } = choice;
  const half = punch.width / 2;
  const rise = half / Math.tan((Math.min(punch.angle, 180 - angle) * Math.PI) / 360);
  const neck = Math.min(rise, punch.height);
  const tip: P2[] = [[0, 0], [half, neck], [-half, neck]]; // prettier-ignore
  const body: P2[] = [[-half, neck], [half, neck], [half, punch.height], [-half, punch.height]]; // prettier-ignore
  const over: P2[] = [[-ram / 2, punch.height], [ram / 2, punch.height], [ram / 2, punch.height + 400], [-ram / 2, punch.height + 400]]; // prettier-ignore
  // The outside of each leg passes over the shoulder's edge: y there from the leg's slope and the thickness under the inner corner.
  const slope = Math.tan((Math.min(angle, 179) * Math.PI) / 360);
  const shoulder = (opening / 2) * slope - thickness / Math.cos((Math.min(angle, 179) * Math.PI) / 360);
  const foot = shoulder - die.height;
  const block = (left: number, right: number): P2[] => [[left, foot], [right, foot], [right, shoulder], [left, shoulder]]; // prettier-ignore
  const wide = opening / 2 + die.shoulder;
  const bed: P2[] = [[-ram / 2, foot - 400], [ram / 2, foot - 400], [ram / 2, foot], [-ram / 2, foot]]; // prettier-ignore
  return { punch: [tip, body, over], die: [block(-wide, -opening / 2), block(opening / 2, wide), bed] };
}

/** A flat in the press brake: its bends' patches by number, and the tools. */
interface Brake {
  pattern: Pick<Pattern, 'patches' | 'root' | 'thickness' | 'bends'>;
  groups: ReadonlyMap<number, number[]>;
  /** Of the V, mm. */
  opening: number;
  choice: PressChoice;
}

/** What the sheet runs into when a bend is made after some others. */
function hitsOf(brake: Brake, order: number, done: ReadonlySet<number>): Pressed['hits'] {
  const { pattern, groups } = brake;
  const own = groups.get(order) ?? [];
  const bend = pattern.bends.find((b) => b.order === order)!;
  if (own.length === 0 || bend.angle > 175) return null;
  // While it is bent the sheet passes through all angles: at its beginning, half way and at its end.
  for (const part of [0.02, 0.5, 1]) {
    const found = hitsAt(brake, { order, own, angle: bend.angle, part, done });
    if (found) return found;
  }
  return null;
}

interface Turn {
  order: number;
  own: readonly number[];
  angle: number;
  /** Share of its angle that it is bent through. */
  part: number;
  done: ReadonlySet<number>;
}

function hitsAt({ pattern, groups, opening, choice }: Brake, { order, own, angle, part, done }: Turn): Pressed['hits'] {
  const shares = new Map<number, number>();
  for (const [n, patches] of groups) for (const i of patches) shares.set(i, n === order ? part : done.has(n) ? 1 : 0);
  const indices = new Map(pattern.patches.map((p, i) => [p, i]));
  const folded = new Folded(pattern, (p) => shares.get(indices.get(p)!) ?? 1);
  const frame = frameAt(pattern, folded, own[0], part);
  const tools = toolsFor(choice, opening, angle * part, pattern.thickness);
  // The tools are as long as the bend.
  const ends = own.flatMap((i) => pattern.patches[i].hinge!.map((p) => dot(sub(folded.at(i, p, 0), frame.at), frame.z)));
  const [low, high] = [Math.min(...ends), Math.max(...ends)];
  for (const [i, p] of pattern.patches.entries()) {
    if (p.kind !== 'wall') continue;
    const border = p.region.reduce((a, b) => (boxSize(b) > boxSize(a) ? b : a));
    const points = flattened(border.segments, 0.2);
    for (const height of [0, -pattern.thickness]) {
      const local = points.map((q): Vec3 => {
        const d = sub(folded.at(i, q, height), frame.at);
        return [dot(d, frame.x), dot(d, frame.y), dot(d, frame.z)];
      });
      if (tools.punch.some((piece) => reachesInto(local, piece, low, high))) return 'punch';
      if (tools.die.some((piece) => reachesInto(local, piece, low, high))) return 'die';
    }
  }
  return null;
}

const boxSize = (c: Contour): number => {
  const points = flattened(c.segments, 1);
  const span = (k: 0 | 1) => Math.max(...points.map((p) => p[k])) - Math.min(...points.map((p) => p[k]));
  return points.length === 0 ? 0 : span(0) + span(1);
};

/** The frame of a bend that is bent so far: from the inner corner, up between its legs, along its axis. */
function frameAt(pattern: Pick<Pattern, 'patches' | 'thickness'>, folded: Folded, index: number, part: number): { at: Vec3; x: Vec3; y: Vec3; z: Vec3 } {
  const { up, angle, inner, width } = pattern.patches[index].bend!;
  const h = folded.hinge(index);
  const inside = scaled(h.normal, up ? 1 : -1);
  const leg = add(scaled(h.away, Math.cos(angle * part)), scaled(inside, Math.sin(angle * part)));
  const y = unit(sub(leg, h.away));
  // The neutral fibre keeps its length, so that the radius is larger before the end.
  const radius = width / angle / part - (width / angle - inner);
  const setback = radius * Math.tan(Math.min(angle * part, 3) / 2);
  const from = up ? h.at : add(h.at, scaled(h.normal, -pattern.thickness));
  return { at: add(from, scaled(h.away, setback)), x: cross(y, h.along), y, z: h.along };
}

/** Whether a flat piece of sheet reaches into a tool's profile by more than touching, between two places along it. Source: Sutherland and Hodgman 1974. */
function reachesInto(points: readonly Vec3[], profile: readonly P2[], low: number, high: number): boolean {
  let rest = points as Vec3[];
  const keep = (inside: (p: Vec3) => number) => {
    const out: Vec3[] = [];
    for (let i = 0; i < rest.length; i++) {
      const [p, q] = [rest[i], rest[(i + 1) % rest.length]];
      const [a, b] = [inside(p), inside(q)];
      if (a >= 0) out.push(p);
      if (a >= 0 !== b >= 0) out.push(add(p, scaled(sub(q, p), a / (a - b))));
    }
    rest = out;
  };
  keep((p) => p[2] - low - touching);
  keep((p) => high - touching - p[2]);
  for (let i = 0; i < profile.length && rest.length > 0; i++) {
    const [a, b] = [profile[i], profile[(i + 1) % profile.length]];
    const long = distance(a, b);
    keep((p) => crossOf([b[0] - a[0], b[1] - a[1]], [p[0] - a[0], p[1] - a[1]]) / long - touching);
  }
  return rest.length > 2;
}

/** An order in which nothing is hit: at each turn the first bend of the usual order that is free; null when it runs into a dead end. */
function otherOrder(brake: Brake, usual: readonly number[]): number[] | null {
  let tries = 0;
  const go = (done: number[]): number[] | null => {
    if (done.length === usual.length) return done;
    for (const n of usual) {
      if (done.includes(n) || ++tries > 400) continue;
      if (hitsOf(brake, n, new Set(done))) continue;
      const found = go([...done, n]);
      if (found) return found;
    }
    return null;
  };
  return go([]);
}

function said(bends: readonly Pressed[], made: readonly Bend[], better: readonly number[] | null, choice: PressChoice): Finding[] {
  const out: Finding[] = [];
  const list = (some: readonly Pressed[], text: (b: Pressed) => string) => some.slice(0, 6).map(text).join(', ') + (some.length > 6 ? ', …' : '');
  const mm = (v: number) => `${v.toFixed(2)} mm`;
  const short = bends.filter((b) => b.flange < b.leastFlange - 1e-6);
  if (short.length > 0)
    out.push({
      code: 'flange-short',
      severity: 'look',
      count: short.length,
      message: `Too short for a V of ${bends[0].opening} mm: ${list(short, (b) => `bend ${b.order} has ${mm(b.flange)} from its line to the edge, and needs ${mm(b.leastFlange)}`)}.`,
      remedy: 'Take a narrower V if the sheet allows it, or make the flange longer and trim it after bending.',
    });
  const near = bends.filter((b) => b.hole !== null && b.hole < b.opening / 2);
  if (near.length > 0)
    out.push({
      code: 'hole-near-bend',
      severity: 'look',
      count: near.length,
      message: `Holes within half the V of a bend line are pulled out of round: ${list(near, (b) => `bend ${b.order} at ${mm(b.hole!)}`)}.`,
      remedy: 'Move them away, or cut them after bending.',
    });
  const hit = bends.filter((b) => b.hits);
  if (hit.length > 0)
    out.push({
      code: 'runs-into-tools',
      severity: 'look',
      count: hit.length,
      message: `In the order of its bends the sheet runs into the tools: ${list(hit, (b) => `bend ${b.order} into the ${b.hits === 'punch' ? 'punch or ram' : 'die or bed'}`)}.`,
      remedy: better
        ? `Bend in the order ${better.join(', ')}: nothing is hit then.`
        : 'Take a taller, narrower or goosenecked punch, or make the part of two pieces.',
    });
  const blunt = made.filter((b) => 180 - b.angle < choice.punch.angle && b.angle <= 150);
  if (blunt.length > 0)
    out.push({
      code: 'punch-blunt',
      severity: 'look',
      count: blunt.length,
      message: `A punch of ${choice.punch.angle}° is too blunt for ${blunt.length === 1 ? `bend ${blunt[0].order}, which closes` : `${blunt.length} bends, which close`} to ${(180 - Math.max(...blunt.map((b) => b.angle))).toFixed(1)}°.`,
      remedy: 'Take an acute punch and die for them.',
    });
  const most = Math.max(0, ...bends.map((b) => b.force));
  const heavy = choice.most !== null && most > choice.most;
  if (bends.length > 0)
    out.push({
      code: 'press-force',
      severity: heavy ? 'look' : 'clear',
      count: 1,
      message: `In air over a V of ${bends[0].opening} mm the longest pull takes ${most.toFixed(1)} kN (${choice.strength} MPa)${heavy ? `; the machine gives ${choice.most} kN` : ''}.`,
      remedy: heavy ? 'Take a wider V, or a stronger machine.' : 'Nothing to do.',
    });
  return out;
}

/** A flat with what a press brake needs for it; the flat as it is where none is asked. */
export function withPress(pattern: Pattern, choice: PressChoice | null): Pattern {
  if (!choice) return pattern;
  const report = pressReport(pattern, pattern.drawing, choice);
  return { ...pattern, press: report.bends, findings: [...pattern.findings, ...report.findings] };
}
