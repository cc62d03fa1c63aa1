import { distance, dot, type Vec3 } from '../geometry/vector.ts';
import type { Member } from './members.ts';
import type { Skin } from './skin.ts';

/** Members that follow each other; `from` says with which of its ends each begins. */
export interface Chain {
  links: { member: Member; from: 0 | 1 }[];
  closed: boolean;
}

/** Why a chain stops where others touch it, with the place. */
export interface Break {
  at: Vec3;
  code: 'fork' | 'section-changes';
  why: string;
  /** The pieces that meet there. */
  members: Member[];
}

interface End {
  member: number;
  side: 0 | 1;
}

/** How near two ends are that meet, for exact and for faceted skins. */
const nearOf = (skin: Skin, m: Member) => (skin.exact ? Math.max(5e-3, skin.near * 10) : Math.max(skin.near * 40, m.section.width * 2e-3));
/** Directions that meet may differ by this, rad. */
const sameAngle = (skin: Skin) => (skin.exact ? 2e-4 : 2e-3);

/**
 * Puts members together that follow each other: a bend and what it touches, straights that meet in a mitre. A piece of another body follows only
 * when one of the two is a bend: an elbow between two tubes.
 */
export function chainsOf(members: readonly Member[], skin: Skin): { chains: Chain[]; breaks: Break[] } {
  const next: (End | null)[][] = members.map(() => [null, null]);
  const breaks: Break[] = [];
  for (const [a, b] of meetings(members, skin, breaks)) {
    next[a.member][a.side] = b;
    next[b.member][b.side] = a;
  }
  const used = new Uint8Array(members.length);
  const chains: Chain[] = [];
  const walk = (start: number, side: 0 | 1): Chain => {
    const links: Chain['links'] = [];
    let [at, from] = [start, side];
    for (;;) {
      used[at] = 1;
      links.push({ member: members[at], from });
      const far = next[at][1 - from];
      if (!far) return { links, closed: false };
      if (used[far.member]) return { links, closed: true };
      [at, from] = [far.member, far.side];
    }
  };
  members.forEach((_, m) => {
    if (!used[m] && (!next[m][0] || !next[m][1])) chains.push(walk(m, next[m][0] ? 1 : 0));
  });
  members.forEach((_, m) => {
    if (!used[m]) chains.push(walk(m, 0));
  });
  return { chains, breaks };
}

/** Pairs of ends that meet; where three do, none does and the fork is told. */
function meetings(members: readonly Member[], skin: Skin, breaks: Break[]): [End, End][] {
  const cell = members.reduce((most, m) => Math.max(most, nearOf(skin, m)), 0.05) * 2;
  const grid = new Map<string, End[]>();
  const keyOf = (p: Vec3, dx = 0, dy = 0, dz = 0) => `${Math.floor(p[0] / cell) + dx} ${Math.floor(p[1] / cell) + dy} ${Math.floor(p[2] / cell) + dz}`;
  members.forEach((m, member) =>
    ([0, 1] as const).forEach((side) => {
      const key = keyOf(m.ends[side].at);
      const list = grid.get(key);
      if (list) list.push({ member, side });
      else grid.set(key, [{ member, side }]);
    }),
  );
  const out: [End, End][] = [];
  members.forEach((m, member) =>
    ([0, 1] as const).forEach((side) => {
      const own = m.ends[side];
      const met: End[] = [];
      for (let dx = -1; dx <= 1; dx++)
        for (let dy = -1; dy <= 1; dy++)
          for (let dz = -1; dz <= 1; dz++)
            for (const other of grid.get(keyOf(own.at, dx, dy, dz)) ?? []) {
              if (other.member === member) continue;
              if (follows([m, side], [members[other.member], other.side], skin)) met.push(other);
            }
      if (met.length === 0) return;
      if (met.length > 1) {
        if (!breaks.some((b) => distance(b.at, own.at) < cell))
          breaks.push({ at: own.at, code: 'fork', why: `${met.length + 1} tubes meet here`, members: [m, ...met.map((e) => members[e.member])] });
        return;
      }
      const [other] = met;
      if (other.member < member) return;
      const to = members[other.member];
      if (!sameSection(m, to, skin)) {
        breaks.push({ at: own.at, code: 'section-changes', why: `the section changes from ${sizes(m)} to ${sizes(to)}`, members: [m, to] });
        return;
      }
      out.push([{ member, side }, other]);
    }),
  );
  return out;
}

const sizes = ({ section: s }: Member) => [s.width, s.height, s.wall].map((v) => (v === null ? 'full' : Number(v.toFixed(3)))).join(' x ');

function sameSection(a: Member, b: Member, skin: Skin): boolean {
  const slack = skin.exact ? 4e-3 : a.section.width * 1e-2;
  const same = (x: number | null, y: number | null) => (x === null || y === null ? x === y : Math.abs(x - y) <= slack);
  return same(a.section.width, b.section.width) && same(a.section.height, b.section.height) && same(a.section.wall, b.section.wall);
}

/** Whether one end goes on in another. */
function follows([a, i]: [Member, 0 | 1], [b, j]: [Member, 0 | 1], skin: Skin): boolean {
  const [p, q] = [a.ends[i], b.ends[j]];
  if (distance(p.at, q.at) > nearOf(skin, a)) return false;
  const bend = a.sweep.kind === 'bend' || b.sweep.kind === 'bend';
  if (a.body !== b.body && !bend) return false;
  const angle = sameAngle(skin);
  const straightOn = dot(p.out, q.out) < -1 + (angle * angle) / 2;
  if (bend) return straightOn;
  // Straights meet in one plane: a mitre halves the angle between them.
  const [m, n] = [p.cut.normal, q.cut.normal];
  return m !== null && n !== null && dot(m, n) < -1 + 2 * angle * angle + (skin.exact ? 1e-9 : 1e-5);
}
