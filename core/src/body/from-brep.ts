import { parseBrep, naturalSign, PlacedNumbers, type BrepReference, type ParsedBrep } from '../surfaces/brep-text.ts';
import { curveAt } from '../surfaces/curves.ts';
import { placedCurve, placedSurface } from '../surfaces/placed.ts';
import { determinantOf, identityRows, timesRows, type Rows } from '../geometry/rows.ts';
import type { Vec3 } from '../geometry/vector.ts';
import { NotTaken, type Body, type BodyFace, type Use } from './body.ts';

/** A placement in the text may turn and move, not scale or mirror: the determinant of one is this near to 1. */
const rigid = 1e-9;

/**
 * The body that a BREP text describes, whoever wrote it. Edges that are only a point (poles) are left out: they are found again.
 * @throws NotTaken when it is no solid of closed shells, or its loops do not follow on one another
 * @example bodyFigures(bodyOfBrep(part.brep)).volume
 */
export function bodyOfBrep(text: string): Body {
  const parsed = parseBrep(text);
  if (!parsed.root) throw new NotTaken('no-solid');
  return new Walk(parsed).solid(parsed.root, identityRows, false);
}

/**
 * All solids of a BREP text, each a body of its own, the shell that reaches farthest first; and how far its pieces may lie apart, as it states itself, mm.
 * @throws NotTaken as `bodyOfBrep` does
 */
export function bodiesOfBrep(text: string): { bodies: Body[]; apart: number } {
  const parsed = parseBrep(text);
  const bodies: Body[] = [];
  const walk = (ref: BrepReference, above: Rows, turned: boolean): void => {
    const shape = parsed.shapes[ref.shape];
    if (shape.type !== 'So' && ['CS', 'Co'].includes(shape.type)) {
      const here = ref.place === 0 ? above : timesRows(above, parsed.places[ref.place]);
      for (const part of shape.parts) walk(part, here, ref.turned !== turned);
    } else bodies.push(outerFirst(new Walk(parsed).solid(ref, above, turned)));
  };
  if (!parsed.root) throw new NotTaken('no-solid');
  walk(parsed.root, identityRows, false);
  if (bodies.length === 0) throw new NotTaken('no-solid');
  return { bodies, apart: parsed.shapes.reduce((most, shape) => Math.max(most, shape?.tolerance ?? 0), 0) };
}

/** The shell whose vertices reach farthest bounds the solid; all others are hollows in it. */
function outerFirst(body: Body): Body {
  if (body.shells.length < 2) return body;
  const reach = body.shells.map((shell) => {
    const low: Vec3 = [Infinity, Infinity, Infinity];
    const high: Vec3 = [-Infinity, -Infinity, -Infinity];
    for (const { edge } of shell.flatMap((f) => body.faces[f].loops.flat())) {
      const { curve, from, to } = body.edges[edge];
      for (let i = 0; i <= 8; i++) {
        curveAt(curve, from + ((to - from) * i) / 8, 1).at.forEach((v, k) => {
          low[k] = Math.min(low[k], v);
          high[k] = Math.max(high[k], v);
        });
      }
    }
    return Math.hypot(high[0] - low[0], high[1] - low[1], high[2] - low[2]);
  });
  const outer = reach.indexOf(Math.max(...reach));
  return { ...body, shells: [body.shells[outer], ...body.shells.filter((_, i) => i !== outer)] };
}

class Walk {
  private readonly parsed: ParsedBrep;
  private readonly body: Body = { points: [], edges: [], faces: [], shells: [], tolerance: 0 };
  private readonly vertices = new PlacedNumbers();
  private readonly edges = new PlacedNumbers();

  constructor(parsed: ParsedBrep) {
    this.parsed = parsed;
  }

  solid(root: BrepReference, above: Rows, turned: boolean): Body {
    this.shells(root, above, turned);
    if (this.body.shells.length === 0) throw new NotTaken('no-solid');
    return this.body;
  }

  private placed(above: Rows, place: number): Rows {
    if (place === 0) return above;
    const rows = timesRows(above, this.parsed.places[place]);
    if (!(Math.abs(determinantOf(rows) - 1) < rigid)) throw new NotTaken('scaled-place');
    return rows;
  }

  private shells(ref: BrepReference, above: Rows, turned: boolean): void {
    const shape = this.parsed.shapes[ref.shape];
    const here = this.placed(above, ref.place);
    const round = ref.turned !== turned;
    if (shape.type === 'Sh') {
      const faces: number[] = [];
      this.body.shells.push(faces);
      for (const part of shape.parts) faces.push(this.face(part, here, round));
    } else if (['So', 'CS', 'Co'].includes(shape.type)) for (const part of shape.parts) this.shells(part, here, round);
    else throw new NotTaken('no-solid');
  }

  private face(ref: BrepReference, above: Rows, turned: boolean): number {
    const { shapes, surfaces, places } = this.parsed;
    const shape = shapes[ref.shape];
    if (shape.type !== 'Fa') throw new NotTaken('no-face');
    const here = this.placed(above, ref.place);
    const round = ref.turned !== turned;
    const { surface, sign } = surfaces[shape.surface - 1];
    const onto = shape.place === 0 ? here : timesRows(here, places[shape.place]);
    const other = sign * naturalSign(surface, surface) < 0;
    const face: BodyFace = { surface: placedSurface(surface, onto), turned: round !== other, loops: [] };
    for (const part of shape.parts) if (shapes[part.shape].type === 'Wi') face.loops.push(this.loop(part, here, round));
    return this.body.faces.push(face) - 1;
  }

  /** The uses of a wire, in the order in which they follow on one another. */
  private loop(ref: BrepReference, above: Rows, turned: boolean): Use[] {
    const { shapes } = this.parsed;
    const here = this.placed(above, ref.place);
    const round = ref.turned !== turned;
    const uses = shapes[ref.shape].parts.flatMap((part) => this.use(part, here, round));
    if (uses.length === 0) throw new NotTaken('no-edges');
    if (this.follows(uses)) return uses;
    uses.reverse();
    if (this.follows(uses)) return uses;
    return this.chained(uses);
  }

  private use(ref: BrepReference, above: Rows, turned: boolean): Use[] {
    const { shapes, curves, places } = this.parsed;
    const { body } = this;
    const shape = shapes[ref.shape];
    const here = this.placed(above, ref.place);
    if (shape.curve === 0) return [];
    const index = this.edges.of(ref.shape, here);
    if (index === body.edges.length) {
      const onto = shape.curvePlace === 0 ? here : timesRows(here, places[shape.curvePlace]);
      const vertex = (turned: boolean) => this.vertex(shape.parts.find((v) => v.turned === turned) ?? shape.parts[0], here);
      body.edges.push({ curve: placedCurve(curves[shape.curve - 1], onto), from: shape.from, to: shape.to, start: vertex(false), end: vertex(true) });
    }
    return [{ edge: index, turned: ref.turned !== turned }];
  }

  private vertex(ref: BrepReference | undefined, above: Rows): number {
    const point = ref ? this.parsed.shapes[ref.shape].point : null;
    if (!ref || !point) throw new NotTaken('no-vertex');
    const here = this.placed(above, ref.place);
    const index = this.vertices.of(ref.shape, here);
    if (index === this.body.points.length) this.body.points.push([0, 4, 8].map((r) => here[r] * point[0] + here[r + 1] * point[1] + here[r + 2] * point[2] + here[r + 3]) as Vec3); // prettier-ignore
    return index;
  }

  private ends({ edge, turned }: Use): [number, number] {
    const { start, end } = this.body.edges[edge];
    return turned ? [end, start] : [start, end];
  }

  private follows(uses: readonly Use[]): boolean {
    return uses.every((use, i) => this.ends(use)[1] === this.ends(uses[(i + 1) % uses.length])[0]);
  }

  /** Uses put one behind the other by their vertices. Where several could follow: one that comes back to the same vertex, then one that does not go straight back, then the first. */
  private chained(uses: Use[]): Use[] {
    const left = new Map<number, Use[]>();
    for (const use of uses) left.set(this.ends(use)[0], [...(left.get(this.ends(use)[0]) ?? []), use]);
    const out: Use[] = [];
    let at = this.ends(uses[0])[0];
    while (out.length < uses.length) {
      const list = left.get(at) ?? [];
      const last = out[out.length - 1];
      const round = list.findIndex((use) => this.ends(use)[1] === at);
      const on = round >= 0 ? round : list.findIndex((use) => use.edge !== last?.edge);
      const [next] = list.splice(Math.max(0, on), 1);
      if (!next) throw new NotTaken('open-loop');
      out.push(next);
      at = this.ends(next)[1];
    }
    if (!this.follows(out)) throw new NotTaken('open-loop');
    return out;
  }
}
