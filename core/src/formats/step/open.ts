import { Unusable } from '../../base/finding.ts';
import { NotTaken } from '../../body/body.ts';
import { bodyFigures } from '../../body/figures.ts';
import { identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import type { TreeNode } from '../../model/design.ts';
import { heldDepth, heldNodes, heldOccurrences, leftOutFindings, namedFrom, rounded, type OpenedStep, type SolidPart } from '../../model/opened.ts';
import { exchangeFile, type Part21 } from './part21.ts';
import { productsOf, type Product, type Products } from './products.ts';
import { bodyOf } from './topology.ts';

/**
 * Opens a STEP file by ourselves, without the exact-geometry kernel: tree, names, colours, and one part per different solid in its own coordinates with its
 * places, in mm. Gives null when the file holds anything that is not taken here, or that needs healing: then the kernel opens it.
 * @param uncertainty that the file states, mm
 * @param why told the reason where the kernel has to
 * @throws Unusable when it has too many solids, or is nested too deep
 * @example openOwnStep(bytes, 1e-5)?.parts[0].volume
 */
export function openOwnStep(bytes: Uint8Array, uncertainty: number, why: (reason: string) => void = () => {}): OpenedStep | null {
  try {
    const file = exchangeFile(bytes);
    if (file.damage.count > 0 || file.broken.count > 0) throw new NotTaken('damaged');
    return new Opening(file, productsOf(file), uncertainty).all();
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
  private readonly parts: SolidPart[] = [];
  private readonly byKey = new Map<string, number>();
  private occurrences = 0;
  private nodes = 0;

  constructor(file: Part21, products: Products, uncertainty: number) {
    this.file = file;
    this.products = products;
    this.uncertainty = uncertainty;
  }

  all(): OpenedStep {
    const tree = this.products.roots.map((root) => this.visit(root, null, { above: [], place: identityRows, depth: 0, colour: null }));
    if (this.parts.length === 0) throw new NotTaken('no-solids');
    return { tree, parts: this.parts, surfaces: [], findings: leftOutFindings(this.products.leftOut) };
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
    node.parts = product.solids.map((_, i) =>
      this.solid(`${id} ${i}`, product.solids[i], product.solids.length > 1 ? `${name} ${i + 1}` : name, { above, place, depth, colour }),
    );
    return node;
  }

  /** A solid at a place: a new part, or one more of a part met before. @param key the same for the same solid of the same product */
  private solid(key: string, solid: Product['solids'][number], name: string, { above, place, colour: inherited }: Where): number {
    heldOccurrences(++this.occurrences);
    const known = this.byKey.get(key);
    if (known !== undefined) {
      const part = this.parts[known];
      part.quantity++;
      part.places.push(place);
      part.above.push(above);
      return known;
    }
    const { box, ...figures } = bodyFigures(bodyOf(this.file, solid.id, solid.scale, this.uncertainty));
    const nearest = (corner: readonly number[]) => corner.map(rounded) as [number, number, number];
    const index = this.parts.length;
    this.parts.push({
      ...figures,
      box: { min: nearest(box.min), max: nearest(box.max) },
      name,
      path: [...above, name],
      quantity: 1,
      colour: solid.colour ?? inherited,
      places: [place],
      above: [above],
    });
    this.byKey.set(key, index);
    return index;
  }
}
