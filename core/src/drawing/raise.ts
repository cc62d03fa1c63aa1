import type { CrossSection } from 'manifold-3d';
import { Unusable } from '../base/finding.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { apartInFiles } from '../mesh/join/apart.ts';
import { awayFromZero, withSolids, type Engine } from '../engine/engine.ts';
import { checkDrawing } from '../curves/check.ts';
import { boxOfDrawing, contoursOf, reachOf, transformedDrawing, type Drawing } from '../curves/drawing.ts';
import { areaOf } from '../curves/offset.ts';
import { drafted, samePlace } from './draft.ts';

/** How a drawing becomes a solid of several heights. Lengths in mm of the drawing. */
export interface Heights {
  /** Height of each layer by name, above the base; below 0 it is sunk into the base. Layers that are not named are left out. */
  layers: Record<string, number>;
  /** A plate beneath: how thick, and how far beyond the drawing's box; null for none. */
  base: { thickness: number; margin: number } | null;
  /** How far walls lean from upright, rad: what stands grows narrower upward, what is sunk narrower downward. Usually 0. */
  draft?: number;
}

/** Gaps between layers up to twice this are closed where they are raised together, mm: borders that two layers share were found one by one. */
const hair = 0.01;

/** Facets of rounds lie within this, mm, when nothing is said. */
const usualDeviation = 0.02;

/**
 * A drawing raised to a solid: closed contours with their holes and islands, `thickness` mm along Z.
 * @param how.deviation of the facets from rounds, mm @param how.draft of the walls, rad
 * @throws Unusable when there is no closed contour. Where contours cross, what lies in an even number of them is empty.
 */
export function raiseDrawing(engine: Engine, drawing: Drawing, thickness: number, { deviation = usualDeviation, draft = 0 } = {}): Mesh {
  if (!(thickness > 0)) throw new Unusable('no-thickness', 'The thickness must be above 0 mm.', 'Type one.');
  const whole = { ...drawing, layers: [{ name: 'all', colour: null, lineType: '', contours: contoursOf(drawing) }] };
  return raised(engine, whole, { layers: { all: thickness }, base: null, draft }, deviation);
}

/**
 * A drawing raised layer by layer: each to its own height, onto a plate or without one, or sunk into the plate.
 * Where layers lie on each other the highest stands; what is sunk is taken out of the plate only.
 * @throws Unusable when nothing is closed, contours of one layer cross, or a layer would be sunk through the plate.
 * @example raiseLayers(engine, drawing, { layers: { Outline: 2, Mark: 3.5 }, base: { thickness: 1.2, margin: 2 } })
 */
export function raiseLayers(engine: Engine, drawing: Drawing, heights: Heights, deviation = usualDeviation): Mesh {
  for (const layer of drawing.layers) if ((heights.layers[layer.name] ?? 0) !== 0) refuseCrossings(layer.name, { ...drawing, layers: [layer] });
  return raised(engine, drawing, heights, deviation);
}

function raised(engine: Engine, drawing: Drawing, heights: Heights, deviation: number): Mesh {
  const [x, y] = awayFromZero(boxOfDrawing(drawing));
  if (x === 0 && y === 0) return raisedHere(engine, drawing, heights, deviation);
  const { positions, triangles } = raisedHere(engine, transformedDrawing(drawing, [1, 0, 0, 1, -x, -y]), heights, deviation);
  return { positions: Float64Array.from(positions, (v, i) => v + (i % 3 === 0 ? x : i % 3 === 1 ? y : 0)), triangles };
}

function raisedHere(engine: Engine, drawing: Drawing, { layers, base, draft = 0 }: Heights, deviation: number): Mesh {
  const chosen = drawing.layers.filter((l) => (layers[l.name] ?? 0) !== 0);
  const closed = chosen.map((l) => ({ ...l, contours: l.contours.filter((c) => c.closed) })).filter((l) => l.contours.length > 0);
  if (closed.length === 0) {
    const remedy = contoursOf(drawing).some((c) => c.closed) ? 'Give a layer a height above 0.' : 'Join the gaps on the Soundness step first.';
    throw new Unusable('nothing-closed', 'No contour is closed, or none has a height, so there is nothing to raise.', remedy);
  }
  const deepest = Math.min(...closed.map((l) => layers[l.name]));
  if (deepest < 0 && (!base || -deepest >= base.thickness)) {
    const plate = base ? `the plate is ${base.thickness} mm thick` : 'there is no plate';
    throw new Unusable('sunk-through', `A layer is to be sunk by ${-deepest} mm, and ${plate}.`, 'Make the plate thicker than the deepest layer.');
  }
  const mesh = withSolids((keep) => {
    const bottom = base?.thickness ?? 0;
    const solids = [];
    if (base) {
      const [l, b, r, t] = boxOfDrawing({ ...drawing, layers: closed });
      const m = base.margin;
      solids.push(keep(engine.Manifold.cube([r - l + 2 * m, t - b + 2 * m, base.thickness]).translate([l - m, b - m, 0])));
    }
    const cuts = [];
    const standing: { height: number; area: CrossSection }[] = [];
    for (const layer of closed) {
      const area = keep(areaOf(engine, layer.contours, deviation));
      const height = layers[layer.name];
      if (height > 0) standing.push({ height, area });
      else {
        // Narrower downward, and open upward as far as the plate is thick.
        const sunk = keep(drafted(engine, keep, area, { height: -height, draft, below: base!.thickness }).mirror([0, 0, 1]));
        cuts.push(keep(sunk.translate([0, 0, bottom])));
      }
    }
    // Slab upon slab: what stands at least so high, as one area, so that layers that share a border have no hair between them.
    let floor = 0;
    for (const height of [...new Set(standing.map((s) => s.height))].sort((a, b) => a - b)) {
      const there = standing.filter((s) => s.height >= height).map((s) => s.area);
      const area = there.length === 1 ? there[0] : keep(keep(keep(engine.CrossSection.union(there)).offset(hair, 'Miter')).offset(-hair, 'Miter'));
      if (draft > 0) {
        // Each from the plate on: a slab that began where another ends would overhang its leaning walls.
        solids.push(keep(drafted(engine, keep, area, { height, draft, below: bottom }).translate([0, 0, bottom])));
        continue;
      }
      const from = floor === 0 ? 0 : bottom + floor;
      solids.push(keep(keep(area.extrude(bottom + height - from)).translate([0, 0, from])));
      floor = height;
    }
    const plates = cuts.length > 0 ? [keep(solids[0].subtract(keep(engine.Manifold.union(cuts)))), ...solids.slice(1)] : solids;
    const joined = keep(engine.Manifold.union(plates));
    const whole = draft > 0 ? keep(joined.simplify(samePlace * reachOf(boxOfDrawing({ ...drawing, layers: closed })))) : joined;
    const made = whole.getMesh();
    const n = made.vertProperties.length / made.numProp;
    const positions = new Float64Array(n * 3);
    for (let v = 0; v < n; v++) for (let k = 0; k < 3; k++) positions[v * 3 + k] = made.vertProperties[v * made.numProp + k];
    return { positions, triangles: new Uint32Array(made.triVerts) };
  });
  if (mesh.triangles.length === 0)
    throw new Unusable('nothing-raised', 'Nothing is left of it: what is to be raised has no area that could stand.', 'Check its size and its heights.');
  // Areas that touch in a corner would be joined there by a file that knows places only.
  return apartInFiles(mesh);
}

/** Contours that cross have no inside: what would be raised is a matter of luck. */
function refuseCrossings(layer: string, drawing: Drawing): void {
  const { crossings } = checkDrawing(drawing);
  if (crossings.length === 0) return;
  throw new Unusable(
    'crossing',
    `Contours of layer "${layer}" cross at ${crossings.length.toLocaleString('en')} ${crossings.length === 1 ? 'place' : 'places'}, so that they have no clear inside.`,
    'Look at them on the Soundness step; nothing was raised.',
  );
}
