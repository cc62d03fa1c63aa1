import { NotTaken } from '../../body/body.ts';
import { determinantOf, identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import type { TreeNode } from '../../model/design.ts';
import { heldDepth, heldNodes, heldOccurrences, nameless } from '../../model/opened.ts';
import { curveTypes, type IgesCurves } from './curves.ts';
import { Cursor, type Records } from './records.ts';
import type { LeftOut } from '../../model/opened.ts';
import { colourOfFaces } from '../face-colours.ts';
import { mostLoose, type Group } from '../loose.ts';

/** A solid where it stands. */
export interface PlacedSolid {
  /** Directory entry. */
  id: number;
  name: string | null;
  colour: string | null;
  place: Rows;
  /** Names above it in the tree, from the top down. */
  above: string[];
}

/** Takes a solid; gives the index of its part, null when it becomes none. */
export type TakeSolid = (placed: PlacedSolid) => number | null;

/** A face of no solid where it stands. */
export interface LooseEntity {
  id: number;
  place: Rows;
  colour: string | null;
  group: Group | null;
}

/** Members of a group, a definition or an assembly at most. */
const mostMembers = 200_000;
/** Members of definitions that are gone through at most, all places together. */
const mostVisits = 2_000_000;

/** Forms of an associativity that are groups. Source: IGES 5.3, 4.89 to 4.97. */
const groupForms = new Set([1, 7, 14, 15]);

/**
 * For the kernel: solids that are made of others by sums and differences, or by sweeping, patterns of instances, shells by themselves.
 * Source: IGES 5.3, 4.36 to 4.46, 4.142, 4.143, 4.150.
 */
const notTaken = new Set([150, 152, 154, 156, 158, 160, 162, 164, 168, 180, 412, 414, 514]);

/** Faces by themselves. Planes and round surfaces without bounds have no end: they only help to draw. */
const standingFaces = new Set([143, 144, 114, 118, 120, 122, 128, 140]);

const endlessTypes = new Set([108, 190, 192, 194, 196, 198]);

/** What is a shape by itself, or shows one. */
const shapeTypes = new Set([...standingFaces, 186, 184, 408, 430]);

/** Colours by number. Source: IGES 5.3, 2.2.4.4.13. */
const numbered = [null, '#000000', '#ff0000', '#00ff00', '#0000ff', '#ffff00', '#ff00ff', '#00ffff', '#ffffff'];

/** What stands where in a file: solids and loose faces, in definitions that others show, in assemblies, in groups. */
export class Contents {
  /** Faces that belong to no solid. */
  readonly loose: LooseEntity[] = [];
  private readonly curves: IgesCurves;
  private readonly file: Records;
  private readonly groups = new Map<number, Group>();
  private readonly used = new Set<number>();
  /** What is hidden, and was taken. */
  private readonly hidden = new Set<number>();
  private colours = 0;
  private readonly colourOfSolid = new Map<number, string | null>();
  private nodes = 0;
  private visits = 0;
  private occurrences = 0;

  constructor(curves: IgesCurves) {
    this.curves = curves;
    this.file = curves.file;
    this.findGroups();
    this.findUses();
  }

  private types(...types: number[]): number[] {
    return this.file.ids.filter((id) => types.includes(this.file.entry(id).type));
  }

  private findGroups(): void {
    const { file } = this;
    for (const id of this.types(402)) {
      const { form } = file.entry(id);
      if (!groupForms.has(form)) continue;
      const c = new Cursor(file.fields(id));
      const count = c.count(mostMembers);
      const group = { name: this.nameOf(id, 1 + count) };
      for (let n = count; n > 0; n--) this.groups.set(c.entry(), group);
    }
  }

  /** Entities that others are made of: those are shown where the others are, and surfaces with bounds only there. */
  private findUses(): void {
    const { file, used } = this;
    for (const id of this.types(308)) {
      const c = new Cursor(file.fields(id));
      c.skip(2);
      for (let n = c.count(mostMembers); n > 0; n--) used.add(c.entry());
    }
    for (const id of this.types(184)) {
      const c = new Cursor(file.fields(id));
      for (let n = c.count(mostMembers); n > 0; n--) used.add(c.entry());
    }
    for (const id of this.types(144, 510, 430, 140)) used.add(new Cursor(file.fields(id)).entry());
    for (const id of this.types(143)) {
      const c = new Cursor(file.fields(id));
      c.skip(1);
      used.add(c.entry());
    }
    for (const id of this.types(186)) {
      const c = new Cursor(file.fields(id));
      used.add(c.entry());
      c.skip(1);
      for (let n = c.count(mostMembers); n > 0; n--, c.skip(1)) used.add(c.entry());
    }
  }

  /** The tree of what stands by itself. @param solid takes a solid, gives the index of its part */
  tree(solid: TakeSolid): TreeNode[] {
    const out: TreeNode[] = [];
    for (const id of this.file.ids) if (!this.used.has(id)) out.push(...this.visit(id, { place: identityRows, above: [], depth: 0 }, solid));
    return out;
  }

  private visit(id: number, where: Where, solid: TakeSolid): TreeNode[] {
    const { file } = this;
    const { type, hidden } = file.entry(id);
    heldDepth(where.depth);
    // What a definition holds is gone through wherever it is shown.
    if ((where.depth > 0 && ++this.visits > mostVisits) || this.loose.length > mostLoose) throw new NotTaken('many-faces');
    if (hidden && shapeTypes.has(type)) this.hidden.add(id);
    switch (type) {
      case 186:
        return [this.standing(id, where, solid)];
      case 408:
        return [this.shown(id, where, solid)];
      case 184:
        return [this.assembly(id, where, solid)];
      case 430:
        return this.visit(new Cursor(file.fields(id)).entry(), this.deeper(where, this.placed(id, where.place)), solid);
    }
    if (notTaken.has(type)) throw new NotTaken(`entity ${type}`);
    if (standingFaces.has(type)) this.loose.push({ id, place: where.place, colour: this.colourOf(id), group: this.groups.get(id) ?? null });
    return [];
  }

  private standing(id: number, where: Where, solid: TakeSolid): TreeNode {
    heldNodes(++this.nodes);
    heldOccurrences(++this.occurrences);
    const [name, colour] = [this.nameOf(id), this.solidColour(id)];
    const part = solid({ id, name, colour, place: where.place, above: where.above });
    return { name: name ?? nameless, colour, parts: part === null ? [] : [part], children: [] };
  }

  /** The colour of a solid whose faces may have their own. Source: IGES 5.3, 4.49 (manifold solid b-rep object), 4.138 (shell). */
  private solidColour(id: number): string | null {
    const known = this.colourOfSolid.get(id);
    if (known !== undefined) return known;
    const { file } = this;
    const c = new Cursor(file.fields(id));
    const shells = [c.entry()];
    c.skip(1);
    for (let n = c.count(mostMembers); n > 0; n--, c.skip(1)) shells.push(c.entry());
    const faces: (string | null)[] = [];
    for (const shell of shells) {
      const s = new Cursor(file.fields(shell));
      for (let n = s.count(mostMembers); n > 0; n--, s.skip(1)) faces.push(this.colourOf(s.entry()));
    }
    const { colour, others } = colourOfFaces(this.colourOf(id), faces);
    this.colours += others;
    this.colourOfSolid.set(id, colour);
    return colour;
  }

  private deeper(where: Where, place: Rows, name?: string): Where {
    if (!(Math.abs(determinantOf(place) - 1) < 1e-4)) throw new NotTaken('scaled-place');
    return { place, above: name === undefined ? where.above : [...where.above, name], depth: where.depth + 1 };
  }

  private placed(id: number, above: Rows): Rows {
    return this.curves.placeOf(id, above);
  }

  /** A definition shown at a place. Source: IGES 5.3, 4.75 (subfigure definition), 4.141 (singular subfigure instance). */
  private shown(id: number, where: Where, solid: TakeSolid): TreeNode {
    const { file } = this;
    heldNodes(++this.nodes);
    const c = new Cursor(file.fields(id));
    const definition = c.entry();
    const at = this.curves.point(c);
    const scale = c.left > 0 ? c.number() || 1 : 1;
    if (scale !== 1 || file.entry(definition).type !== 308) throw new NotTaken('scaled-place');
    const place = timesRows(this.placed(id, where.place), [1, 0, 0, at[0], 0, 1, 0, at[1], 0, 0, 1, at[2]]);
    const d = new Cursor(file.fields(definition));
    d.skip(1);
    const name = d.text().trim() || 'Assembly';
    const members = Array.from({ length: d.count(mostMembers) }, () => d.entry());
    const below = this.deeper(where, place, name);
    return { name, colour: this.colourOf(id), parts: [], children: members.flatMap((m) => this.visit(m, below, solid)) };
  }

  /** Solids, each with a matrix of its own. Source: IGES 5.3, 4.46 (solid assembly). */
  private assembly(id: number, where: Where, solid: TakeSolid): TreeNode {
    const { file } = this;
    heldNodes(++this.nodes);
    const c = new Cursor(file.fields(id));
    const members = Array.from({ length: c.count(mostMembers) }, () => c.entry());
    const matrices = members.map(() => c.entry());
    const name = this.nameOf(id) ?? 'Assembly';
    const place = this.placed(id, where.place);
    const children = members.flatMap((m, i) => this.visit(m, this.deeper(where, matrices[i] === 0 ? place : this.curves.matrix(matrices[i], place), name), solid)); // prettier-ignore
    return { name, colour: this.colourOf(id), parts: [], children };
  }

  /** The name that a property gives after an entity's own parameters, else the label of the directory. Source: IGES 5.3, 4.112 (name property), 2.2.4.5.2 (additional pointers). */
  private nameOf(id: number, own = ownFields(this.file, id)): string | null {
    const { file } = this;
    const c = new Cursor(file.fields(id));
    c.skip(own);
    if (c.left > 0) c.skip(c.count(mostMembers));
    for (let n = c.left > 0 ? c.count(mostMembers) : 0; n > 0; n--) {
      const property = c.entry();
      const { type, form } = file.entry(property);
      if (type !== 406 || form !== 15) continue;
      const p = new Cursor(file.fields(property));
      p.skip(1);
      const name = p.text().trim();
      if (name !== '') return name;
    }
    return file.entry(id).label || null;
  }

  private colourOf(id: number): string | null {
    const { file } = this;
    const { colour } = file.entry(id);
    if (colour >= 0) return numbered[colour] ?? null;
    if (file.entry(-colour).type !== 314) return null;
    const c = new Cursor(file.fields(-colour));
    return `#${c.point().map((percent) => Math.round((Math.min(100, Math.max(0, percent)) / 100) * 255).toString(16).padStart(2, '0')).join('')}`; // prettier-ignore
  }

  /** Curves, points and notes that stand by themselves: no entity that was read is made of them. Asked for last. */
  leftOut(): LeftOut {
    const { file, used } = this;
    const out = { curves: 0, points: 0, notes: 0, endless: 0, colours: this.colours, hidden: this.hidden.size };
    for (const id of file.ids) {
      const { type, subordinate } = file.entry(id);
      if (subordinate === 1 || subordinate === 3 || used.has(id) || file.wasRead(id)) continue;
      if (curveTypes.has(type)) out.curves++;
      else if (type === 116) out.points++;
      else if (type >= 202 && type <= 230) out.notes++;
      else if (endlessTypes.has(type)) out.endless++;
    }
    return out;
  }
}

/** Where an entity stands. */
interface Where {
  place: Rows;
  above: string[];
  depth: number;
}

/** How many parameters are an entity's own, before those that are added to any. */
function ownFields(file: Records, id: number): number {
  const c = new Cursor(file.fields(id));
  if (file.entry(id).type === 184) return 1 + 2 * c.count(mostMembers);
  c.skip(2);
  return 3 + 2 * c.count(mostMembers);
}
