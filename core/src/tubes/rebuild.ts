import type { SectionEdge, TubeStretch } from '../kernel/tube-build.ts';
import { add, cross, scaled, unit, type Vec3 } from '../geometry/vector.ts';
import { endOf, noStraight, lengthOfPiece, startOf, turned, type EndCut, type Piece, type Run, type Section } from './run.ts';

/** Volume and area of a run by Pappus's theorems, mm3 and mm2: section times centre line. Its ends are square and its corners round. Source: Pappus, Collection VII. */
export function pappusOf(run: Run): { volume: number; area: number } {
  const { section } = run;
  const length = run.pieces.reduce((sum, p) => sum + lengthOfPiece(p), 0);
  const inside = section.wall === null ? 0 : aroundOf(section, section.wall);
  return { volume: section.area * length, area: (section.around + inside) * length + 2 * section.area };
}

const aroundOf = ({ width, height, corner }: Section, less: number) => {
  const c = Math.max(0, corner - less);
  return 2 * (width + height - 4 * less) - (8 - 2 * Math.PI) * c;
};

/** One outline of a section where it stands: a rectangle with round corners, or a circle. @param y where the height points */
function outlineOf({ width, height, corner, shape }: Section, less: number, frame: { at: Vec3; x: Vec3; y: Vec3; along: Vec3 }): SectionEdge[] {
  const { at, x, y, along } = frame;
  const [w, h] = [width / 2 - less, height / 2 - less];
  if (shape === 'round') return [{ centre: at, normal: along, x, r: w }];
  const c = Math.max(0, Math.min(corner - less, w, h));
  const put = (a: number, b: number): Vec3 => add(at, add(scaled(x, a), scaled(y, b)));
  const out: SectionEdge[] = [];
  const line = (a: [number, number], b: [number, number]) => {
    if (Math.hypot(a[0] - b[0], a[1] - b[1]) > 1e-9) out.push({ from: put(...a), to: put(...b) });
  };
  const arc = (a: [number, number], centre: [number, number], b: [number, number]) => {
    if (c <= 1e-9) return;
    const m: [number, number] = [a[0] + b[0] - 2 * centre[0], a[1] + b[1] - 2 * centre[1]];
    const k = c / Math.hypot(...m);
    out.push({ from: put(...a), middle: put(centre[0] + m[0] * k, centre[1] + m[1] * k), to: put(...b) });
  };
  line([-w + c, -h], [w - c, -h]);
  arc([w - c, -h], [w - c, -h + c], [w, -h + c]);
  line([w, -h + c], [w, h - c]);
  arc([w, h - c], [w - c, h - c], [w - c, h]);
  line([w - c, h], [-w + c, h]);
  arc([-w + c, h], [-w + c, h - c], [-w, h - c]);
  line([-w, h - c], [-w, -h + c]);
  arc([-w, -h + c], [-w + c, -h + c], [-w + c, -h]);
  return out;
}

/**
 * What the kernel needs to build a run: stretches between corners, each with the section where its pieces begin. Copes are built square.
 * @example tubeSolid(kernel, stretchesOf(run))
 */
export function stretchesOf(run: Run): TubeStretch[] {
  const { section } = run;
  const reach = run.pieces.reduce((sum, p) => sum + lengthOfPiece(p), 0) + 4 * section.width;
  const out: TubeStretch[] = [];
  let across = run.across;
  let pieces: Piece[] = [];
  let begin: EndCut = run.ends[0];
  const finish = (end: EndCut) => {
    if (pieces.length > 0) out.push(stretch({ section, pieces, across, ends: [begin, end] }, reach));
    for (const p of pieces) if (p.kind === 'bend') across = turned(across, p.axis, p.angle);
    pieces = [];
  };
  for (const p of run.pieces) {
    if (p.kind === 'straight' || p.radius > 0) {
      pieces.push(p);
      continue;
    }
    // A mitre: both are cut along the plane that halves the angle.
    const normal = unit(add(startOf(p), endOf(p)));
    finish({ kind: 'mitre', slant: p.angle / 2, normal });
    across = turned(across, p.axis, p.angle);
    begin = { kind: 'mitre', slant: p.angle / 2, normal: scaled(normal, -1) };
  }
  finish(run.ends[1]);
  return out;
}

function stretch({ section, pieces: given, across, ends }: Run, reach: number): TubeStretch {
  const pieces = given.map((p) => ({ ...p }));
  const cuts: TubeStretch['cuts'] = [];
  const [first, last] = [pieces[0], pieces[pieces.length - 1]];
  // A slanting end is built longer and cut.
  const extra = (cut: EndCut) => section.width * Math.tan(cut.slant) + section.width;
  if (ends[0].kind === 'mitre' && first.kind === 'straight') {
    cuts.push({ at: first.from, out: ends[0].normal! });
    first.from = add(first.from, scaled(first.along, -extra(ends[0])));
  }
  if (ends[1].kind === 'mitre' && last.kind === 'straight') {
    cuts.push({ at: last.to, out: ends[1].normal! });
    last.to = add(last.to, scaled(last.along, extra(ends[1])));
  }
  let x = across;
  const outlines: SectionEdge[][][] = [];
  const put = (at: Vec3, along: Vec3) => {
    const frame = { at, x, y: cross(along, x), along };
    outlines.push(section.wall === null ? [outlineOf(section, 0, frame)] : [outlineOf(section, 0, frame), outlineOf(section, section.wall, frame)]);
  };
  const moves: TubeStretch['moves'] = [];
  for (const p of pieces) {
    if (lengthOfPiece(p) <= noStraight) continue;
    put(p.from, startOf(p));
    if (p.kind === 'straight') moves.push({ by: [p.to[0] - p.from[0], p.to[1] - p.from[1], p.to[2] - p.from[2]] });
    else {
      moves.push({ at: p.centre, axis: p.axis, angle: p.angle });
      x = turned(x, p.axis, p.angle);
    }
  }
  put(last.to, endOf(last));
  return { outlines, moves, cuts, reach };
}
