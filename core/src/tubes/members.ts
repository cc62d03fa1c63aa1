import { cross, dot, lengthOf, scaled, sub, add, type Vec3 } from '../geometry/vector.ts';
import { endsOf, type SweepEnd } from './ends.ts';
import { roundedBox, sectionOf, type RoundedBox } from './sections.ts';
import type { Section } from './run.ts';
import { outOf, placeOf, type Sweep } from './sweep.ts';
import type { Swept } from './sweeps.ts';
import type { Skin } from './skin.ts';

/** A straight or a bend of a tube before it is known what follows it: its outside, and its inside when it has one. */
export interface Member {
  sweep: Sweep;
  section: Section;
  /** Centre of the section across the sweep. */
  middle: [number, number];
  /** Direction of the section's width across the sweep (unit). */
  width: [number, number];
  ends: [SweepEnd, SweepEnd];
  /** Faces of outside and inside. */
  faces: number[];
  body: number;
  /** Facets that stand for a bend that was found by the corners on its ring; absent otherwise. */
  facets?: number;
}

/** What looked like a member but is none, with the place. */
export interface NoMember {
  sweep: Sweep;
  at: Vec3;
  why: string;
}

interface Outline {
  sweep: Sweep;
  box: RoundedBox;
  ends: [SweepEnd, SweepEnd];
  mid: Vec3;
}

/** Outlines that are sections, with where they begin and end. */
function outlinesOf(sweeps: readonly Sweep[], skin: Skin): Outline[] {
  const out: Outline[] = [];
  for (const sweep of sweeps) {
    const box = roundedBox(sweep.loop, skin.exact ? exactNear : Math.max(skin.near * 10, exactNear));
    if (!box) continue;
    const ends = endsOf(sweep, box.centre, skin.exact ? exactNear : Math.max(skin.near * 20, box.width * 5e-4));
    if (!(ends[1].t > ends[0].t)) continue;
    out.push({ sweep, box, ends, mid: placeOf(sweep, [box.centre[0], box.centre[1], (ends[0].t + ends[1].t) / 2]) });
  }
  return out;
}

/** How far walls, middles and ends of exact solids may be off what they are taken for, mm: what B-splines are let off, twice. */
const exactNear = 2e-3;

/** Outlines in cells of space, by their middles. */
function gridOf(outlines: readonly Outline[], cell: number): (p: Vec3, dx: number, dy: number, dz: number) => readonly Outline[] {
  const grid = new Map<string, Outline[]>();
  const keyOf = (p: Vec3, dx = 0, dy = 0, dz = 0) => `${Math.floor(p[0] / cell) + dx} ${Math.floor(p[1] / cell) + dy} ${Math.floor(p[2] / cell) + dz}`;
  for (const h of outlines) {
    const list = grid.get(keyOf(h.mid));
    if (list) list.push(h);
    else grid.set(keyOf(h.mid), [h]);
  }
  return (p, dx, dy, dz) => grid.get(keyOf(p, dx, dy, dz)) ?? [];
}

/** Outsides with their insides. @example membersOf(sweepsOf(skin), skin).members.length */
export function membersOf(swept: Pick<Swept, 'sweeps'>, skin: Skin): { members: Member[]; none: NoMember[] } {
  const outlines = outlinesOf(swept.sweeps, skin);
  const widths = outlines.map((o) => o.box.width).sort((a, b) => a - b);
  const near = gridOf(
    outlines.filter((o) => !o.sweep.solid),
    Math.max(1, (widths[widths.length >> 1] ?? 1) * 2),
  );
  const members: Member[] = [];
  const none: NoMember[] = [];
  for (const o of outlines) {
    if (!o.sweep.solid) continue;
    const inner = innerOf(o, (dx, dy, dz) => near(o.mid, dx, dy, dz), skin);
    const section = sectionOf(inBoxOf(o, o), inner ? inBoxOf(o, inner) : null, skin.exact ? exactNear : Math.max(skin.near * 10, o.box.width * 1e-3));
    if (section === null) continue;
    if (typeof section === 'string') {
      none.push({ sweep: o.sweep, at: o.mid, why: section });
      continue;
    }
    members.push({
      sweep: o.sweep,
      section: o.sweep.corners ? { ...section, facets: o.sweep.corners } : section,
      middle: o.box.centre,
      width: o.box.along,
      ends: o.ends,
      faces: [...new Set([...o.sweep.faces, ...(inner?.sweep.faces ?? [])])],
      body: o.sweep.body,
    });
  }
  return { members, none };
}

/** Where the section's width points at an end of a member, unit. */
export function acrossAt({ sweep, width: [a, b], ends }: Member, side: 0 | 1): Vec3 {
  const first = sweep.kind === 'straight' ? sweep.x : outOf(sweep, ends[side].t);
  return add(scaled(first, a), scaled(sweep.kind === 'straight' ? sweep.y : sweep.along, b));
}

/** The largest hole within an outline that goes the same way. */
function innerOf(o: Outline, near: (dx: number, dy: number, dz: number) => readonly Outline[], skin: Skin): Outline | null {
  let best: Outline | null = null;
  for (let dx = -1; dx <= 1; dx++)
    for (let dy = -1; dy <= 1; dy++)
      for (let dz = -1; dz <= 1; dz++)
        for (const h of near(dx, dy, dz)) {
          if (h.sweep.body !== o.sweep.body || h.sweep.kind !== o.sweep.kind || h.box.area >= o.box.area) continue;
          if (!sameWay(o, h, skin) || (best && best.box.area >= h.box.area)) continue;
          best = h;
        }
  return best;
}

function sameWay(o: Outline, h: Outline, skin: Skin): boolean {
  const slack = o.box.height * 0.5;
  if (lengthOf(cross(o.sweep.along, h.sweep.along)) > (skin.exact ? 1e-4 : 2e-2)) return false;
  if (o.sweep.kind === 'straight') {
    const q = sub(h.mid, o.mid);
    const t = dot(q, o.sweep.along);
    return Math.abs(t) <= (o.ends[1].t - o.ends[0].t) / 2 + o.box.width && lengthOf(sub(q, scaled(o.sweep.along, t))) <= slack;
  }
  const off = lengthOf(cross(sub(h.sweep.at, o.sweep.at), o.sweep.along));
  return off <= 0.01 * slack + skin.near * 100 && lengthOf(sub(h.mid, o.mid)) <= slack;
}

/** The box of an outline in the across directions of another. */
function inBoxOf(o: Outline, other: Outline): RoundedBox {
  if (o === other) return o.box;
  const at = (p: [number, number]): [number, number] => {
    const place = placeOf(other.sweep, [p[0], p[1], other.ends[0].t]);
    const q = sub(place, o.sweep.at);
    if (o.sweep.kind === 'straight') return [dot(q, o.sweep.x), dot(q, o.sweep.y)];
    const h = dot(q, o.sweep.along);
    return [lengthOf(sub(q, scaled(o.sweep.along, h))), h];
  };
  // Sides of a hole that is as wide as high may be named the other way round.
  const { along, width, height } = other.box;
  const d = o.sweep.kind === 'straight' ? [dot(axisOf(other, along), o.sweep.x), dot(axisOf(other, along), o.sweep.y)] : along;
  const swapped = Math.abs(d[0] * o.box.along[0] + d[1] * o.box.along[1]) < 0.5;
  return { ...other.box, centre: at(other.box.centre), ...(swapped ? { width: height, height: width } : {}) };
}

const axisOf = (o: Outline, [a, b]: [number, number]): Vec3 => add(scaled(o.sweep.x, a), scaled(o.sweep.y, b));
