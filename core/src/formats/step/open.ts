import { Unusable } from '../../base/finding.ts';
import { NotTaken } from '../../body/body.ts';
import { bodyFigures } from '../../body/figures.ts';
import type { LooseFace } from '../../body/sew.ts';
import { determinantOf, identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { usualChoices, type ReadChoices } from '../../model/choices.ts';
import type { TreeNode } from '../../model/design.ts';
import { heldDepth, heldNodes, heldOccurrences, namedFrom, type OpenedMesh, type OpenedStep, type SolidPart } from '../../model/opened.ts';
import { placedCurve, placedSurface } from '../../surfaces/placed.ts';
import { mostLoose, openedOf, partOf, type Loose } from '../loose.ts';
import { exchangeFile, type Part21 } from './part21.ts';
import { productsOf, type Product, type Products, type ShapeItem } from './products.ts';
import { tessellatedMesh } from './tessellated.ts';
import { bodyOf, facesOf } from './topology.ts';

/**
 * Opens a STEP file by ourselves, without the exact-geometry kernel: tree, names, colours, and one part per different solid in its own coordinates with its
 * places, in mm. Gives null when the file holds anything that is not taken here, or that needs healing: then the kernel opens it.
 * @param uncertainty that the file states, mm
 * @param options what is taken; `why` is told the reason where the kernel has to
 * @throws Unusable when it has too many solids, or is nested too deep
 * @example openOwnStep(bytes, 1e-5)?.parts[0].volume
 */
export function openOwnStep(
  bytes: Uint8Array,
  uncertainty: number,
  { choices = usualChoices, why = () => {} }: { choices?: ReadChoices; why?: (reason: string) => void } = {},
): OpenedStep | null {
  try {
    const file = exchangeFile(bytes);
    if (file.damage.count > 0 || file.broken.count > 0) throw new NotTaken('damaged');
    return new Opening(file, productsOf(file), uncertainty, choices).all();
  } catch (thrown) {
    // A limit is a limit for every way of opening; all else the kernel may still read.
    if (thrown instanceof Unusable && (thrown.code === 'too-deep' || thrown.code === 'too-many-parts')) throw thrown;
    if (!(thrown instanceof NotTaken || thrown instanceof Unusable)) throw thrown;
    why(thrown instanceof NotTaken ? thrown.why : thrown.code);
    return null;
  }
}

/** Where in the tree a product stands. */
interface Where {
  /** Names from the top down. */
  above: string[];
  place: Rows;
  depth: number;
  colour: string | null;
}

class Opening {
  private readonly file: Part21;
  private readonly products: Products;
  private readonly uncertainty: number;
  private readonly choices: ReadChoices;
  private readonly parts: SolidPart[] = [];
  private readonly meshes: OpenedMesh[] = [];
  /** Faces of no solid where they stand. */
  private readonly loose: Loose[] = [];
  private readonly byKey = new Map<string, number>();
  private solidsLeft = 0;
  private occurrences = 0;
  private nodes = 0;

  constructor(file: Part21, products: Products, uncertainty: number, choices: ReadChoices) {
    this.choices = choices;
    this.file = file;
    this.products = products;
    this.uncertainty = uncertainty;
  }

  all(): OpenedStep {
    const tree = this.products.roots.map((root) => this.visit(root, null, { above: [], place: identityRows, depth: 0, colour: null }));
    const { parts, meshes, loose, solidsLeft } = this;
    return openedOf({ tree, parts, meshes, loose, solidsLeft, leftOut: this.products.leftOut }, this.choices);
  }

  private visit(id: number, instance: string | null, { above, place, depth, colour: inherited }: Where): TreeNode {
    heldDepth(depth);
    heldNodes(++this.nodes);
    const product = this.products.by.get(id)!;
    const name = namedFrom(product.name, instance);
    const colour = product.colour ?? inherited;
    const node: TreeNode = { name: instance ?? product.name ?? name, colour, parts: [], children: [] };
    const path = [...above, name];
    for (const child of product.children)
      node.children.push(this.visit(child.product, child.name, { above: path, place: timesRows(place, child.place), depth: depth + 1, colour }));
    const where: Where = { above, place, depth, colour };
    node.parts = product.solids.flatMap((solid, i) => this.solid(`${id} ${solid.id}`, solid, product.solids.length > 1 ? `${name} ${i + 1}` : name, where));
    this.takeLoose(product, name, where);
    for (const item of product.tessellated) this.mesh(item, name, where);
    return node;
  }

  /** Faces of no solid, where they stand: a group by themselves. */
  private takeLoose({ loose }: Product, name: string, { place, colour }: Where): void {
    for (const item of loose) {
      heldOccurrences(++this.occurrences);
      const here = timesRows(place, item.place);
      const group = { name };
      if (this.loose.length > mostLoose) throw new NotTaken('many-faces');
      for (const face of facesOf(this.file, item.id, item.scale, this.uncertainty)) this.loose.push({ face: placedFace(face, here), colour: item.colour ?? colour, group }); // prettier-ignore
    }
  }

  /** Triangles that stand for no exact shape. */
  private mesh(item: ShapeItem, name: string, { above, place, colour }: Where): void {
    heldOccurrences(++this.occurrences);
    const here = timesRows(place, item.place);
    const known = this.meshes.find((m) => m.id === item.id);
    if (known) {
      known.places.push(here);
      known.above.push(above);
    } else
      this.meshes.push({
        id: item.id,
        name,
        colour: item.colour ?? colour,
        mesh: tessellatedMesh(this.file, item.id, item.scale.length),
        places: [here],
        above: [above],
      });
  }

  /** A solid at a place: a new part, or one more of a part met before. @param key the same for the same solid of the same product */
  private solid(key: string, solid: ShapeItem, name: string, { above, place, colour: inherited }: Where): number[] {
    heldOccurrences(++this.occurrences);
    if (!this.choices.solids) {
      this.solidsLeft++;
      return [];
    }
    const here = timesRows(place, solid.place);
    const mirrored = determinantOf(here) < 0;
    const known = this.byKey.get(`${key}${mirrored ? 'm' : ''}`);
    if (known !== undefined) {
      const part = this.parts[known];
      part.quantity++;
      part.places.push(here);
      part.above.push(above);
      return [known];
    }
    const called = mirrored ? `${name} (mirrored)` : name;
    const index = this.parts.length;
    this.parts.push({
      ...partOf(bodyFigures(bodyOf(this.file, solid.id, solid.scale, this.uncertainty))),
      name: called,
      path: [...above, called],
      quantity: 1,
      colour: solid.colour ?? inherited,
      places: [here],
      above: [above],
    });
    this.byKey.set(`${key}${mirrored ? 'm' : ''}`, index);
    return [index];
  }
}

/** A face after a placement. */
function placedFace({ surface, loops, against }: LooseFace, place: Rows): LooseFace {
  return {
    surface: placedSurface(surface, place),
    loops: loops.map((loop) => loop.map((piece) => ({ ...piece, curve: placedCurve(piece.curve, place) }))),
    against: determinantOf(place) < 0 ? !against : against,
  };
}
