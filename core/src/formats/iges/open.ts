import { mmPer } from '../../base/units.ts';
import { Unusable } from '../../base/finding.ts';
import { NotTaken, type Body } from '../../body/body.ts';
import { sizeOfBody } from '../../body/brep.ts';
import { bodyFigures, openFigures, type BodyFigures } from '../../body/figures.ts';
import { sewn, turnOver, type LooseFace, type Sewn } from '../../body/sew.ts';
import { identityRows } from '../../geometry/rows.ts';
import { curveAt } from '../../surfaces/curves.ts';
import type { ReadChoices } from '../../model/choices.ts';
import { leftOutFindings, looseFindings, noSolids, rounded, sewShares, type OpenedStep, type OpenSurface, type SolidPart } from '../../model/opened.ts';
import { readIgesHeader } from './header.ts';
import { IgesCurves } from './curves.ts';
import { Contents, type Group, type LooseEntity, type PlacedSolid } from './contents.ts';
import { Records } from './records.ts';
import { solidOf } from './solids.ts';
import { faceOf } from './trimmed.ts';

/** What a part is called that nobody gave a name: the reader of designs calls it by its file then. */
const nameless = 'Solid';

/**
 * Opens an IGES file by ourselves, without the exact-geometry kernel: solids with names, colours and places, and faces of no solid, sewn where their edges meet;
 * lengths in mm. Gives null when the file holds anything that is not taken here, or that needs healing: then the kernel opens it.
 * Source: IGES 5.3.
 * @param why told the reason where the kernel has to
 * @throws Unusable when it has too many solids, or is nested too deep
 * @example openOwnIges(bytes, usualChoices)?.parts[0].volume
 */
export function openOwnIges(bytes: Uint8Array, choices: ReadChoices, why: (reason: string) => void = () => {}): OpenedStep | null {
  try {
    const { unit, delimiters, resolution, modelScale } = readIgesHeader(bytes);
    if (modelScale !== 1) throw new NotTaken('model-scale');
    const scale = mmPer(unit);
    if (!(scale > 0)) throw new NotTaken('no-unit');
    const file = new Records(bytes, delimiters);
    return new Opening(new IgesCurves(file, scale), choices, resolution * scale).all();
  } catch (thrown) {
    // A limit is a limit for every way of opening; all else the kernel may still read.
    if (thrown instanceof Unusable && (thrown.code === 'too-deep' || thrown.code === 'too-many-parts')) throw thrown;
    if (!(thrown instanceof NotTaken || thrown instanceof Unusable)) throw thrown;
    why(thrown instanceof NotTaken ? thrown.why : thrown.code);
    return null;
  }
}

class Opening {
  private readonly curves: IgesCurves;
  private readonly choices: ReadChoices;
  private readonly resolution: number;
  private readonly parts: SolidPart[] = [];
  private readonly byEntity = new Map<number, number>();

  constructor(curves: IgesCurves, choices: ReadChoices, resolution: number) {
    [this.curves, this.choices, this.resolution] = [curves, choices, resolution];
  }

  all(): OpenedStep {
    const contents = new Contents(this.curves);
    const tree = contents.tree((solid) => this.solid(solid));
    const surfaces: OpenSurface[] = [];
    const { surfaces: taken } = this.choices;
    let [joined, within] = [0, 0];
    if (taken && contents.loose.length > 0) {
      const made = sewnGroups(contents.loose.map((face) => ({ ...face, made: faceOf(this.curves, face.id, face.place) })));
      within = made.within;
      for (const { body, group, colour } of made.closed) {
        const index = this.parts.push({ ...partOf(figuresOf(body)), name: group ?? nameless, path: [group ?? nameless], colour, quantity: 1, places: [identityRows], above: [[]], sewnWithin: within }) - 1; // prettier-ignore
        tree.push({ name: group ?? nameless, colour, parts: [index], children: [] });
        joined++;
      }
      for (const { body, group } of made.open) surfaces.push({ name: group ?? `Surface ${surfaces.length + 1}`, ...openFigures(body) });
    }
    if (this.parts.length === 0 && surfaces.length === 0 && contents.loose.length === 0) throw new NotTaken('no-solids');
    const findings = [
      ...looseFindings({ faces: contents.loose.length, taken, sewn: joined, within, open: surfaces.length }),
      ...leftOutFindings(contents.leftOut()),
      ...(this.parts.length === 0 ? [noSolids(surfaces.length > 0)] : []),
    ];
    return { tree, parts: this.parts, surfaces, findings };
  }

  /** A solid at a place: a new part, or one more of a part met before. */
  private solid({ id, name, colour, place, above }: PlacedSolid): number {
    const known = this.byEntity.get(id);
    if (known !== undefined) {
      const part = this.parts[known];
      part.quantity++;
      part.places.push(place);
      part.above.push(above);
      return known;
    }
    const body = solidOf(this.curves, id, identityRows);
    body.tolerance = this.resolution;
    const called = name ?? nameless;
    const index = this.parts.push({ ...partOf(bodyFigures(body)), name: called, path: [...above, called], quantity: 1, colour, places: [place], above: [above] }) - 1; // prettier-ignore
    this.byEntity.set(id, index);
    return index;
  }
}

const partOf = ({ box, ...figures }: BodyFigures) => {
  const nearest = (corner: readonly number[]) => corner.map(rounded) as [number, number, number];
  return { ...figures, box: { min: nearest(box.min), max: nearest(box.max) } };
};

/** Figures of a closed body whose faces look alike, inwards or outwards. */
function figuresOf(body: Body): BodyFigures {
  try {
    return bodyFigures(body);
  } catch (thrown) {
    if (!(thrown instanceof NotTaken && thrown.why === 'inside-out')) throw thrown;
    for (const face of body.faces) turnOver(face);
    return bodyFigures(body);
  }
}

interface MadeFace extends LooseEntity {
  made: LooseFace;
}

/** A body that came of loose faces, with the name and colour of the group that it was. */
interface SewnBody {
  body: Body;
  group: string | null;
  colour: string | null;
}

/** Faces sewn group by group as the file puts them; all together where not every group closes so. */
function sewnGroups(faces: readonly MadeFace[]): { closed: SewnBody[]; open: SewnBody[]; within: number } {
  const size = spanOf(faces.map((f) => f.made));
  const groups = new Map<Group | null, MadeFace[]>();
  for (const face of faces) {
    const list = groups.get(face.group);
    if (list) list.push(face);
    else groups.set(face.group, [face]);
  }
  const parted = [...groups.values()];
  let last: { closed: SewnBody[]; open: SewnBody[]; within: number } | null = null;
  for (const share of sewShares) {
    const within = share * size;
    const apart = parted.length > 1 ? tried(parted, within) : null;
    const found = apart && apart.open.length === 0 ? apart : (tried([[...faces]], within) ?? apart);
    if (!found) continue;
    last = { ...found, within };
    if (found.open.length === 0) break;
  }
  if (!last) throw new NotTaken('not-sewn');
  return last;
}

/** Groups of faces, each sewn by itself; null where one of them can't be. */
function tried(groups: readonly MadeFace[][], within: number): { closed: SewnBody[]; open: SewnBody[] } | null {
  const out: { closed: SewnBody[]; open: SewnBody[] } = { closed: [], open: [] };
  for (const faces of groups) {
    let made: Sewn;
    try {
      made = sewn(faces.map((f) => f.made), within); // prettier-ignore
    } catch (thrown) {
      if (!(thrown instanceof NotTaken)) throw thrown;
      return null;
    }
    const name = faces[0].group?.name ?? null;
    const group = made.closed.length + made.open.length === 1 && faces.every((f) => f.group === faces[0].group) ? name : null;
    const colour = faces.every((f) => f.colour === faces[0].colour) ? faces[0].colour : null;
    for (const [from, to] of [[made.closed, out.closed], [made.open, out.open]] as const) for (const body of from) to.push({ body, group, colour }); // prettier-ignore
  }
  return out;
}

/** Diagonal of the box round the edges of faces, mm. */
function spanOf(faces: readonly LooseFace[]): number {
  const edges = faces.flatMap((f) => f.loops.flat()).map((piece) => ({ ...piece, start: 0, end: 0 }));
  const points = edges.flatMap(({ curve, from, to }) => [curveAt(curve, from, 1).at, curveAt(curve, to, 1).at]);
  return sizeOfBody({ points, edges, faces: [], shells: [], tolerance: 0 });
}
