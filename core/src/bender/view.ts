import type { Severity, Finding } from '../base/finding.ts';
import type { Claim } from '../prove/evidence.ts';
import { sayRun } from '../tubes/say.ts';
import { cornersOf, developedOf, tableOf, type BendTable, type Run } from '../tubes/run.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { verdictOf, type EndOf, type MarkDone } from './files.ts';
import type { MachineTable } from './rules.ts';
import type { TubesFound } from './source.ts';

/** A mark as a page shows it. Lengths in mm, angles in degrees but for those of the run's own pieces. */
export interface TubeView {
  mark: string;
  quantity: number;
  mirrorOf: string | null;
  /** "tube 42.4 x 2.6, 3 bends". */
  name: string;
  table: BendTable;
  points: Vec3[];
  developed: number;
  set: MachineTable;
  /** kg each. */
  weight: number;
  ends: ReturnType<typeof endView>[];
  /** Facets that stood for its bends. */
  facets: number[];
  run: Run;
  /** The tube that the bytes of its table make, where the design stands. */
  received: Run;
  verdict: Severity;
  reason: string | null;
  distance: number;
  farEnd: number;
  claims: Claim[];
  findings: Finding[];
  /** Parts that it was found in. */
  parts: string[];
}

/** An end in figures. */
export const endView = ({ cut, cope }: EndOf) => ({
  kind: cut.kind,
  slant: (cut.slant * 180) / Math.PI,
  ...(cope ? { on: 2 * cope.header, angle: (cope.angle * 180) / Math.PI, offset: cope.offset } : {}),
});

/** A mark for a page. @example done.map((d) => tubeView(d, found)) */
export function tubeView(done: MarkDone, found: TubesFound): TubeView {
  const { marked, evidence, distance, ends, received } = done;
  const { mark, quantity, mirrorOf, set, weight } = marked;
  const { run, bodies } = marked.found;
  const plain = (r: Run): Run => ({ ...r, ends: r.ends.map((e) => ({ kind: e.kind, slant: e.slant, normal: null })) as Run['ends'] });
  return {
    mark,
    quantity,
    mirrorOf,
    name: sayRun(run),
    table: tableOf(run),
    points: cornersOf(run).points,
    developed: developedOf(run),
    set,
    weight,
    ends: marked.ends.map(endView),
    facets: run.pieces.flatMap((p) => (p.kind === 'bend' && p.facets > 0 ? [p.facets] : [])),
    run: plain(run),
    received: plain(received),
    verdict: verdictOf(done),
    reason: evidence.reason ?? null,
    distance,
    farEnd: ends,
    claims: evidence.claims,
    findings: evidence.findings,
    parts: [...new Set(bodies.map((b) => found.parts[found.bodies[b].part].key))],
  };
}
