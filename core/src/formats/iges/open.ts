import { mmPer } from '../../base/units.ts';
import { Unusable } from '../../base/finding.ts';
import { NotTaken } from '../../body/body.ts';
import { bodyFigures } from '../../body/figures.ts';
import type { LooseFace } from '../../body/sew.ts';
import { identityRows } from '../../geometry/rows.ts';
import type { ReadChoices } from '../../model/choices.ts';
import { nameless, type OpenedStep, type SolidPart } from '../../model/opened.ts';
import { openedOf, partOf } from '../loose.ts';
import { readIgesHeader } from './header.ts';
import { IgesCurves } from './curves.ts';
import { Contents, type LooseEntity, type PlacedSolid } from './contents.ts';
import { Records } from './records.ts';
import { solidOf } from './solids.ts';
import { faceOf } from './trimmed.ts';

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

/** A face that is only counted. */
const unread: LooseFace = { surface: { kind: 'other' }, loops: [], against: false };

class Opening {
  private readonly curves: IgesCurves;
  private readonly choices: ReadChoices;
  private readonly resolution: number;
  private readonly parts: SolidPart[] = [];
  private readonly byEntity = new Map<number, number>();
  private solidsLeft = 0;

  constructor(curves: IgesCurves, choices: ReadChoices, resolution: number) {
    [this.curves, this.choices, this.resolution] = [curves, choices, resolution];
  }

  all(): OpenedStep {
    const { curves, parts, choices } = this;
    const contents = new Contents(curves);
    const tree = contents.tree((solid) => this.solid(solid));
    const wanted = choices.surfaces ? (l: LooseEntity) => faceOf(curves, l.id, l.place) : () => unread;
    const loose = contents.loose.map((l) => ({ face: wanted(l), colour: l.colour, group: l.group }));
    return openedOf({ tree, parts, loose, solidsLeft: this.solidsLeft, leftOut: contents.leftOut() }, choices);
  }

  /** A solid at a place: a new part, or one more of a part met before; null where solids are not wanted. */
  private solid({ id, name, colour, place, above }: PlacedSolid): number | null {
    if (!this.choices.solids) {
      this.solidsLeft++;
      return null;
    }
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
