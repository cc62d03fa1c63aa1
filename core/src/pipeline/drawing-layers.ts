import type { DesignedDrawing } from '../prove/designed.ts';
import { boxOfDrawing, contourOf, reachOf, type Drawing, type Meaning } from '../curves/drawing.ts';
import { chained, sameDistance } from '../curves/chain.ts';
import { cutThrough, type Meant } from '../drawing/meaning.ts';
import { closedByThemselves } from '../formats/dxf/values.ts';
import { entitiesOf, type WrittenLayer } from '../formats/dxf/write.ts';
import { usualLooks, type LayerLook } from '../model/drawing-recipe.ts';
import type { FileFormat } from '../receivers/receivers.ts';
import { carved } from './ready-drawing.ts';

/** `cut`: whether anything on it is cut through. */
export type MeantLayer = WrittenLayer & { meaning: Meaning; cut: boolean; depth?: number | null };

/** The depths that layers name, with how many contours go so deep. */
export const depthsOf = (layers: readonly MeantLayer[]): DesignedDrawing['depths'] =>
  layers.flatMap(({ name, depth, contours }) => (depth ? [{ layer: name, depth, contours: contours.length }] : []));

/** Layers in the order of work: engraving first, holes before outer cuts, the sheet's edge last. */
const workOrder: Meaning[] = [
  'label',
  'fill',
  'engrave',
  'mark',
  'score',
  'bend',
  'bend-up',
  'bend-down',
  'bend-edge',
  'pocket',
  'lead',
  'hole',
  'small',
  'cut',
  'stock',
];

/** Pockets and engraving of different depth lie on layers of their own, with the depth in the name. */
export const depthOf = (m: Meant): number | null => (carved(m) && m.contour.depth && m.contour.depth > 0 ? m.contour.depth : null);

/** Contours on layers by what they mean. */
export function layersOf(meant: Meant[], look: (m: Meaning) => LayerLook): MeantLayer[] {
  const layers: MeantLayer[] = [];
  for (const meaning of workOrder) {
    const own = meant.filter((m) => m.meaning === meaning).sort((a, b) => b.depth - a.depth);
    const { name, colour, lineType } = look(meaning);
    for (const depth of [...new Set(own.map(depthOf))]) {
      const contours = own.filter((m) => depthOf(m) === depth).map(({ contour: { segments, closed } }) => contourOf(segments, closed));
      layers.push({
        meaning,
        name: layerName(name, depth),
        colour,
        lineType,
        texts: [],
        contours,
        filled: meaning === 'fill',
        cut: cutThrough.has(meaning),
        depth,
      });
    }
  }
  return layers;
}

/** Layers as the source has them: names, colours and line types, and colours of single contours. Ways in that were added keep their own. */
export function sourceLayers(meant: Meant[], source: Drawing): MeantLayer[] {
  const names = [...new Set(meant.map((m) => (m.meaning === 'lead' ? usualLooks.lead.name : m.layer)))];
  return names.map((name): MeantLayer => {
    const own = meant.filter((m) => (m.meaning === 'lead' ? usualLooks.lead.name : m.layer) === name).sort((a, b) => b.depth - a.depth);
    const layer = source.layers.find((l) => l.name === name);
    const contours = own.map(({ contour: { segments, closed, colour } }) => contourOf(segments, closed, colour));
    const filled = own.every((m) => m.meaning === 'fill');
    const cut = own.some((m) => cutThrough.has(m.meaning));
    return { meaning: own[0].meaning, name, colour: layer?.colour ?? null, lineType: layer?.lineType ?? 'CONTINUOUS', texts: [], contours, filled, cut };
  });
}

/** Names that came out the same get numbers. */
export function distinct<L extends { name: string }>(layers: L[]): L[] {
  const taken = new Set<string>();
  return layers.map((l) => {
    let name = l.name;
    for (let i = 2; taken.has(name.toUpperCase()); i++) name = `${l.name.slice(0, 27)}_${i}`;
    taken.add(name.toUpperCase());
    return { ...l, name };
  });
}

/** Longest layer name of R12. Source: DXF Reference, symbol names before version AC1015. */
const longestR12 = 31;

/** A layer's name with a depth behind it. A name that ends in a figure is set off with a dash: T2 with 3 mm must not be read as 2.3 mm. A long name loses its own end, not the depth. */
export function layerName(name: string, depth: number | null): string {
  if (depth === null) return name;
  const said = `${/\d$/.test(name) ? '-' : '_'}${Number(depth.toFixed(3))}MM`;
  return `${name.slice(0, longestR12 - said.length)}${said}`;
}

/** Chains of a few pieces that double back on themselves may come apart again when they are read: so often it is looked again. */
const mostRounds = 3;

/** The contours as a reader of the format chains them: DXF has no entity for a chain that holds curves, so its pieces are joined anew. */
export function asRead(plain: Drawing, format: FileFormat): Drawing {
  const count = (d: Drawing) => d.layers.reduce((n, l) => n + l.contours.length, 0);
  let whole = plain;
  for (let round = 0; round < mostRounds; round++) {
    const loose = format === 'dxf' ? { ...whole, layers: whole.layers.map((l) => ({ ...l, contours: l.contours.flatMap(entitiesOf) })) } : whole;
    // What ends where it began is closed.
    if (format === 'dxf') closedByThemselves(loose, reachOf(boxOfDrawing(loose)));
    const next = chained(loose, sameDistance(loose)).drawing;
    const still = count(next) === count(whole);
    whole = next;
    if (still && round > 0) break;
  }
  return whole;
}
