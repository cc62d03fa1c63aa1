import { distance, dot, lengthOf, scaled, sub, type Vec3 } from '../geometry/vector.ts';
import { arcsOf, looseFacets, mergedPieces } from './arcs.ts';
import { gapsClosed } from './gaps.ts';
import { fittedLine } from './fit.ts';
import { freeSweeps, type FreeSweep } from './free.ts';
import { chainsOf, type Break, type Chain } from './chains.ts';
import { acrossAt, membersOf, type Member } from './members.ts';
import { anyAcross, bendAbout, bendAt, developedOf, endOf, lengthOfPiece, pointOnPiece, regular, reversed, type EndCut, type Piece, type Run } from './run.ts';
import { nameOfSection } from './sections.ts';
import type { Skin } from './skin.ts';
import type { Sweep } from './sweep.ts';
import { sweepsOf } from './sweeps.ts';

/** A tube that was found, and the bodies that it is made of. */
export interface FoundRun {
  run: Run;
  bodies: number[];
  /** Faces of the skin that belong to it. */
  faces: number[];
  /** How far its pieces miss each other where they meet, mm. */
  miss: number;
  /** How far it was moved from the design on purpose, mm: other dies, or a free curve fitted by straights and arcs. */
  moved?: number;
  /** How far the pieces that stand for a free curve are off it, mm; absent when nothing was fitted. */
  fitted?: number;
}

/** Something that can't be taken as it is, with the place and a remedy. */
export interface NoRun {
  code: 'free-curve' | 'fork' | 'section-changes' | 'closed-ring' | 'wall' | 'facets' | 'lost';
  at: Vec3;
  what: string;
  remedy: string;
  bodies: number[];
}

export interface Found {
  runs: FoundRun[];
  none: NoRun[];
  gaveUp: boolean;
}

/** A straight tube is at least so many times as long as wide, a bar more: shorter ones are bushes, pins and blocks. Common practice, no source. */
const leastTube = 2;
const leastBar = 8;
/** A flat bar is at most so many times as wide as thick: beyond it is a strip of sheet. Common practice, no source. */
const mostFlat = 8;

/**
 * Tubes and bars of a skin: straights that were moved along a line, bends that were turned about an axis, put together where they meet.
 * Whatever their surfaces are written as, it is what they are that counts.
 * @param fit free curves are fitted by straights and arcs within this, mm; null: they are told and left out
 * @example tubesOf(skin).runs.map((r) => tableOf(r.run))
 */
export function tubesOf(skin: Skin, fit: number | null = null): Found {
  const swept = sweepsOf(skin);
  const { members, none: walls } = membersOf({ sweeps: [...swept.sweeps, ...longOnes(swept.sweeps, skin)] }, skin);
  const all = skin.exact ? members : gapsClosed(members, skin);
  const { chains, breaks } = chainsOf(all, skin);
  // A ball turns about itself, too: a ring stands further out than it is wide.
  const ringed = membersOf({ sweeps: swept.rings }, skin).members.filter((m) => m.middle[0] > m.section.width / 2);
  const rings = ringed.map((member): Chain => ({ links: [{ member, from: 0 }], closed: true }));
  const found: Found = { runs: [], none: [], gaveUp: swept.gaveUp };
  const claimed = new Set<number>();
  for (const candidate of candidatesOf([...chains, ...rings], skin)) {
    // What is the side of a tube may also be moved across it: the longest explanation takes the faces.
    const taken = candidate.faces.reduce((n, f) => n + (claimed.has(f) ? 1 : 0), 0);
    if (taken > candidate.faces.length * mostShared || !longEnough(candidate)) continue;
    for (const f of candidate.faces) claimed.add(f);
    take(candidate, fit, found);
  }
  const free = (faces: readonly number[]) => faces.every((f) => !claimed.has(f));
  for (const sweep of freeSweeps(skin)) if (free(sweep.faces)) takeFree(sweep, fit, found);
  // A break matters between tubes: a flange or a block at an end is no tube.
  for (const b of breaks) if (b.members.every((m) => m.faces.every((f) => claimed.has(f)))) found.none.push(told(b));
  found.none.push(...lostBetween(found.runs).filter((l) => found.none.every((n) => distance(n.at, l.at) > 1)));
  for (const w of walls) {
    const [code, remedy] = ['wall' as const, 'A tube has one wall all round; check the design.'];
    if (free(w.sweep.faces)) found.none.push({ code, at: w.at, what: `A tube is left out: ${w.why}.`, remedy, bodies: [w.sweep.body] });
  }
  return found;
}

/** Share of a chain's faces that a longer one may have taken before. */
const mostShared = 0.3;

/** A chain as straights and bends, with how long it is against how wide. */
interface Candidate {
  chain: Chain;
  pieces: Piece[];
  faces: number[];
  score: number;
}

/** Chains, the longest for their width first; of two alike the open one. */
function candidatesOf(chains: readonly Chain[], skin: Skin): Candidate[] {
  return chains
    .map((chain) => {
      const pieces = piecesOfChain(chain, skin);
      const faces = [...new Set(chain.links.flatMap((l) => l.member.faces))];
      return { chain, pieces, faces, score: developedOf({ pieces }) / Math.sqrt(outsideOf(chain)) - (chain.closed ? 1e-9 : 0) };
    })
    .sort((a, b) => b.score - a.score);
}

function longEnough({ chain, pieces }: Candidate): boolean {
  const { section } = chain.links[0].member;
  const plain = pieces.every((p) => p.kind === 'straight');
  const least = plain ? (section.wall === null ? leastBar : leastTube) : 1;
  return section.width <= mostFlat * section.height && developedOf({ pieces }) >= least * section.width;
}

/** A chain as a run, or why it is none. */
function take({ chain, pieces, faces }: Candidate, fit: number | null, found: Found): void {
  const { section } = chain.links[0].member;
  const bodies = [...new Set(chain.links.map((l) => l.member.body))];
  const name = nameOfSection(section);
  const none = (code: NoRun['code'], at: Vec3, [what, remedy]: [string, string]) => found.none.push({ code, at, what, remedy, bodies });
  if (chain.closed) {
    none('closed-ring', pieces[0].from, [`A closed ring of ${name} has no end to begin at.`, 'Split it where it is to be welded, and bring it in again.']);
    return;
  }
  const loose = looseFacets(pieces, section.width);
  if (!loose) found.runs.push({ run: runOf(chain, pieces), bodies, faces, miss: missOf(pieces) });
  else if (fit !== null && section.shape === 'round') takeFree({ points: dense(pieces, section.width / 4), section, faces, body: bodies[0] }, fit, found);
  else none('facets', loose.from, [`The facets of a bend of ${name} do not lie on an arc.`, 'Have it fitted by straights and arcs within a deviation (--fit 0.5), or bring in the exact solid.']); // prettier-ignore
}

/** Points along pieces, no further apart than a step. */
function dense(pieces: readonly Piece[], step: number): Vec3[] {
  const out: Vec3[] = [pieces[0].from];
  for (const p of pieces) {
    const length = lengthOfPiece(p);
    const n = Math.ceil(length / step);
    for (let i = 1; i <= n; i++) out.push(pointOnPiece(p, (length * i) / n).at);
  }
  return out;
}

/** Share of a deviation that the middle of a fitted tube may take. */
const middleShare = 0.6;

/** A tube along a free curve: fitted when asked, else told with how it can be had. */
function takeFree({ points, section, faces, body }: FreeSweep, fit: number | null, found: Found): void {
  const name = nameOfSection(section);
  const none = (what: string, remedy: string) => found.none.push({ code: 'free-curve', at: points[points.length >> 1], what, remedy, bodies: [body] });
  if (fit === null) {
    none(
      `A ${name} goes along a free curve: its bends have no radius.`,
      'Have it fitted by straights and arcs within a deviation (--fit 0.5), which is shown and measured.',
    );
    return;
  }
  // The tube's surface leans where its middle is off: the middle is kept nearer, and the surface is measured.
  const line = fittedLine(points, fit * middleShare);
  if (!line) {
    none(`A ${name} goes along a free curve that takes more than 400 arcs within ${fit} mm.`, 'Allow a larger deviation.');
    return;
  }
  const pieces = mergedPieces(line.pieces, 1e-6);
  const along = pieces[0].kind === 'straight' ? pieces[0].along : pieces[0].before;
  const square = (normal: Vec3): EndCut => ({ kind: 'square', slant: 0, normal });
  const run: Run = { section, pieces, across: anyAcross(along), ends: [square(scaled(along, -1)), square(endOf(pieces[pieces.length - 1]))] };
  found.runs.push({ run: regular(run), bodies: [body], faces, miss: 0, moved: fit, fitted: line.off });
}

/** Runs of one body whose ends stand in one place are one tube that could not be followed there: told, never given out as two. */
function lostBetween(runs: readonly FoundRun[]): NoRun[] {
  const ends = runs.flatMap((r) => [r.run.pieces[0].from, r.run.pieces[r.run.pieces.length - 1].to].map((at) => ({ r, at })));
  const out: NoRun[] = [];
  for (let i = 0; i < ends.length; i++)
    for (let j = i + 1; j < ends.length; j++) {
      const [a, b] = [ends[i], ends[j]];
      if (a.r === b.r || distance(a.at, b.at) > a.r.run.section.width * lostShare || !a.r.bodies.some((x) => b.r.bodies.includes(x))) continue;
      out.push({ code: 'lost', at: a.at, what: `A ${nameOfSection(a.r.run.section)} goes on here in a way that is no straight and no arc.`, remedy: 'Bring in the exact solid, or a mesh whose bends have more facets.', bodies: a.r.bodies }); // prettier-ignore
    }
  return out;
}

/** Ends this near each other, as a share of the width, are one place. */
const lostShare = 0.05;

/** Straights of long facets that are not found by their lateral edges. */
function longOnes(sweeps: readonly Sweep[], skin: Skin): Sweep[] {
  if (skin.long.length === 0) return [];
  const known = new Map<number, Vec3[]>();
  for (const s of sweeps) if (s.kind === 'straight') for (const f of s.faces) known.set(f, [...(known.get(f) ?? []), s.along]);
  return skin.long.filter((l) => !l.faces.some((f) => known.get(f)?.some((d) => Math.abs(dot(d, l.along)) > 0.999)));
}

const outsideOf = ({ links }: Chain) => {
  const { width, height } = links[0].member.section;
  return width * height;
};

const told = (b: Break): NoRun => ({
  code: b.code,
  at: b.at,
  what: b.code === 'fork' ? `A fork: ${b.why}.` : `A tube ends where ${b.why}.`,
  remedy: b.code === 'fork' ? 'Bend each branch as a run of its own: split the body there.' : 'Make it two runs, or one section.',
  bodies: [],
});

function pieceOf(member: Member, from: 0 | 1): Piece {
  const { sweep, ends, middle } = member;
  const [a, b] = [ends[from], ends[1 - from]];
  if (sweep.kind === 'straight') return { kind: 'straight', from: a.at, to: b.at, along: b.out };
  const axis = from === 0 ? sweep.along : scaled(sweep.along, -1);
  return { ...bendAbout({ from: a.at, before: scaled(a.out, -1), axis, angle: ends[1].t - ends[0].t }, middle[0], member.facets ?? 0), to: b.at };
}

/** The centre line of a chain: mitres where straights meet, facets of bends as bends. */
function piecesOfChain(chain: Chain, skin: Skin): Piece[] {
  const raw: Piece[] = [];
  chain.links.forEach(({ member, from }, i) => {
    const piece = pieceOf(member, from);
    const last = raw[raw.length - 1];
    if (i > 0 && last.kind === 'straight' && piece.kind === 'straight') {
      const turn = lengthOf(sub(last.along, piece.along));
      if (turn > (skin.exact ? 1e-6 : 2e-4)) raw.push(bendAt(piece.from, last.along, piece.along, 0));
    }
    raw.push(piece);
  });
  const near = Math.max(skin.near * 4, 1e-6);
  const ends = [chain.links[0], chain.links[chain.links.length - 1]];
  // A bend of facets at the very end: its last facet is cut along the ring there, and what would follow goes square to that.
  const first = ends[0].member.ends[ends[0].from].cut;
  const last = ends[1].member.ends[1 - ends[1].from].cut;
  if (raw.length > 3 && first.kind === 'mitre' && raw[0].kind === 'straight') {
    const along = scaled(first.normal!, -1);
    raw.unshift({ kind: 'straight', from: raw[0].from, to: raw[0].from, along }, bendAt(raw[0].from, along, raw[0].along, 0));
  }
  const end = raw[raw.length - 1];
  if (raw.length > 3 && last.kind === 'mitre' && end.kind === 'straight')
    raw.push(bendAt(end.to, end.along, last.normal!, 0), { kind: 'straight', from: end.to, to: end.to, along: last.normal! });
  const arcs = arcsOf(raw, near);
  return mergedPieces(withoutStubs(arcs), Math.max(near * 10, 1e-5));
}

/** Mitres at the very ends are cuts, not corners. */
function withoutStubs(pieces: Piece[]): Piece[] {
  const out = [...pieces];
  while (out.length > 1 && out[0].kind === 'bend' && out[0].radius === 0) out.shift();
  while (out.length > 1 && out[out.length - 1].kind === 'bend' && (out[out.length - 1] as { radius: number }).radius === 0) out.pop();
  return out;
}

function runOf(chain: Chain, pieces: Piece[]): Run {
  const [first, last] = [chain.links[0], chain.links[chain.links.length - 1]];
  const cutOf = (link: Chain['links'][number], side: 0 | 1, bend: boolean): EndCut => {
    const { cut, out } = link.member.ends[side];
    return bend && cut.kind === 'mitre' ? { kind: 'square', slant: 0, normal: out } : cut;
  };
  const ends: [EndCut, EndCut] = [
    cutOf(first, first.from, pieces[0].kind === 'bend'),
    cutOf(last, (1 - last.from) as 0 | 1, pieces[pieces.length - 1].kind === 'bend'),
  ];
  const { section } = first.member;
  const facets = Math.max(...chain.links.map((l) => l.member.section.facets));
  const along = pieces[0].kind === 'straight' ? pieces[0].along : pieces[0].before;
  let across = acrossAt(first.member, first.from);
  across = sub(across, scaled(along, dot(across, along)));
  const size = lengthOf(across);
  const run: Run = { section: { ...section, facets }, pieces, across: size > 0.5 ? scaled(across, 1 / size) : anyAcross(along), ends };
  return regular(wayRound(run));
}

/** Begins at the end that lies lower (z, then y, then x), so that a run is the same however it was found. */
function wayRound(run: Run): Run {
  const [a, b] = [run.pieces[0].from, run.pieces[run.pieces.length - 1].to];
  for (const k of [2, 1, 0]) if (Math.abs(a[k] - b[k]) > 1e-6) return a[k] < b[k] ? run : reversed(run);
  return run;
}

/** How far pieces miss each other. */
function missOf(pieces: readonly Piece[]): number {
  let miss = 0;
  for (let i = 1; i < pieces.length; i++) miss = Math.max(miss, distance(pieces[i - 1].to, pieces[i].from));
  return miss;
}
