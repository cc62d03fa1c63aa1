import { NotTaken, type Body, type BodyEdge, type BodyFace, type Use } from '../../body/body.ts';
import type { Rows } from '../../geometry/rows.ts';
import { scaled, type Vec3 } from '../../geometry/vector.ts';
import { naturalSign } from '../../surfaces/brep-text.ts';
import { recognised } from '../../surfaces/recognise.ts';
import type { IgesCurves, Piece } from './curves.ts';
import { Cursor } from './records.ts';
import { sheetOf } from './surfaces.ts';

/** Faces of a shell, loops of a face, edges of a loop, and entries of a list of edges or vertices at most. */
const most = 2_000_000;

/**
 * A solid of the file as a body in mm.
 * Source: IGES 5.3, 4.49 (manifold solid B-rep), 4.145 to 4.150 (vertex and edge lists, loop, face, shell).
 * @throws NotTaken when something of it is not taken here or does not fit together
 */
export function solidOf(curves: IgesCurves, id: number, above: Rows): Body {
  return new Reading(curves, curves.placeOf(id, above)).solid(id);
}

class Reading {
  private readonly curves: IgesCurves;
  private readonly place: Rows;
  private readonly body: Body = { points: [], edges: [], faces: [], shells: [], tolerance: 0 };
  private readonly vertices = new Map<string, number>();
  private readonly edges = new Map<string, number>();
  private readonly lists = new Map<number, [curve: number, ...ends: number[]][]>();
  private readonly places = new Map<number, Vec3[]>();

  constructor(curves: IgesCurves, place: Rows) {
    this.curves = curves;
    this.place = place;
  }

  private cursor(id: number, type: number): Cursor {
    const { file } = this.curves;
    if (file.entry(id).type !== type) throw new NotTaken(`${type} is ${file.entry(id).type}`);
    return new Cursor(file.fields(id));
  }

  solid(id: number): Body {
    const c = this.cursor(id, 186);
    this.shell(c.entry(), c.number() !== 1);
    for (let n = c.count(most); n > 0; n--) this.shell(c.entry(), c.number() !== 1);
    return this.body;
  }

  private shell(id: number, against: boolean): void {
    const c = this.cursor(id, 514);
    const count = c.count(most);
    if (count === 0) throw new NotTaken('no-faces');
    const faces: number[] = [];
    for (let i = 0; i < count; i++) {
      const face = c.entry();
      faces.push(this.face(face, (c.number() !== 1) !== against));
    }
    this.body.shells.push(faces);
  }

  /** @param against the outside lies against the face's own direction */
  private face(id: number, against: boolean): number {
    const c = this.cursor(id, 510);
    const { surface: raw, sign } = sheetOf(this.curves, c.entry(), this.place);
    const exact = recognised(raw);
    const other = (exact !== raw && naturalSign(raw, exact) * naturalSign(exact, exact) < 0) !== sign < 0;
    const face: BodyFace = { surface: exact, turned: against !== other, loops: [] };
    const loops = c.count(most);
    c.skip(1);
    for (let i = 0; i < loops; i++) {
      const uses = this.loop(c.entry());
      if (uses.length > 0) face.loops.push(against ? uses.reverse().map(({ edge, turned }) => ({ edge, turned: !turned })) : uses);
    }
    if (face.loops.length === 0) throw new NotTaken('no-bounds');
    return this.body.faces.push(face) - 1;
  }

  private loop(id: number): Use[] {
    const c = this.cursor(id, 508);
    const uses: Use[] = [];
    for (let n = c.count(most); n > 0; n--) {
      const pole = c.count(1) === 1;
      const [list, index] = [c.entry(), c.count(most)];
      const forward = c.number() === 1;
      c.skip(2 * c.count(most));
      // A vertex in a loop is a pole, which is found.
      if (!pole) uses.push({ edge: this.edge(list, index), turned: !forward });
    }
    return uses;
  }

  private edge(list: number, index: number): number {
    const key = `${list} ${index}`;
    const known = this.edges.get(key);
    if (known !== undefined) return known;
    const found = this.edgesOf(list)[index - 1];
    if (!found) throw new NotTaken('no-edge');
    const [curve, from, first, to, last] = found;
    const piece = this.oneCurve(curve);
    const edge: BodyEdge = { ...piece, start: this.vertex(from, first), end: this.vertex(to, last) };
    const made = this.body.edges.push(edge) - 1;
    this.edges.set(key, made);
    return made;
  }

  private oneCurve(id: number): Piece {
    return this.curves.single(id, this.place);
  }

  private edgesOf(id: number): [curve: number, ...ends: number[]][] {
    const known = this.lists.get(id);
    if (known) return known;
    const c = this.cursor(id, 504);
    const list = Array.from({ length: held(c) }, (): [number, ...number[]] => [c.entry(), c.entry(), c.count(most), c.entry(), c.count(most)]);
    this.lists.set(id, list);
    return list;
  }

  private vertex(list: number, index: number): number {
    const key = `${list} ${index}`;
    const known = this.vertices.get(key);
    if (known !== undefined) return known;
    const p = this.placesOf(list)[index - 1];
    if (!p) throw new NotTaken('no-vertex');
    const m = this.place;
    const at = [0, 4, 8].map((r) => m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3]) as Vec3;
    const made = this.body.points.push(at) - 1;
    this.vertices.set(key, made);
    return made;
  }

  private placesOf(id: number): Vec3[] {
    const known = this.places.get(id);
    if (known) return known;
    const c = this.cursor(id, 502);
    const list = Array.from({ length: held(c) }, () => scaled(c.point(), this.curves.scale));
    this.places.set(id, list);
    return list;
  }
}

/** How many entries follow: no more than are there. */
function held(c: Cursor): number {
  const n = c.count(most);
  if (n > c.left) throw new NotTaken('damaged');
  return n;
}
