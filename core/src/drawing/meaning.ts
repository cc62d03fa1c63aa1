import { contourOf, type Contour, type Drawing, type Meaning } from '../curves/drawing.ts';
import { meaningOfName } from '../curves/names.ts';
import { nest } from '../curves/nest.ts';
import { isFull, type ArcSegment } from '../curves/segment.ts';
import type { DrawingRecipe } from '../model/drawing-recipe.ts';

/** A contour with what it is for and where it lies among the others. */
export interface Meant {
  contour: Contour;
  /** Number in the order of layers and contours. */
  number: number;
  layer: string;
  /** Its own colour or its layer's. */
  colour: string | null;
  meaning: Meaning;
  /** Why it has that meaning, in words. */
  why: string;
  /** Nesting depth of closed contours, -1 for open ones. */
  depth: number;
  area: number;
}

/**
 * Gives each contour its meaning. By hand goes before all; then the name of its layer; then depth (less than through is a pocket);
 * then size: small circles inside are holes, small outer contours are small parts; closed contours are cut, open ones scored.
 */
export function meantContours(drawing: Drawing, recipe: DrawingRecipe): Meant[] {
  const flat: { contour: Contour; layer: string; colour: string | null }[] = [];
  for (const layer of drawing.layers) for (const contour of layer.contours) flat.push({ contour, layer: layer.name, colour: contour.colour ?? layer.colour });
  const places = new Map<Contour, { depth: number; area: number }>();
  const nested = nest(drawing);
  for (const n of nested) places.set(drawing.layers[n.layer].contours[n.contour], n);
  // A circle with something in it is an inner edge, not a hole to be drilled.
  const around = new Set(nested.filter((n) => n.around >= 0).map((n) => drawing.layers[nested[n.around].layer].contours[nested[n.around].contour]));
  return flat.map(({ contour: source, layer, colour }, number): Meant => {
    const contour = source.depth === null || source.depth === undefined ? withDepth(source, layer) : source;
    const place = { depth: places.get(source)?.depth ?? -1, area: places.get(source)?.area ?? 0 };
    const [meaning, why] = byHand(recipe, { number, layer, colour }) ?? asMade(contour, layer, place.depth >= 0) ?? asMilled(contour, recipe) ?? bySize(contour, recipe, { ...place, empty: !around.has(source) }); // prettier-ignore
    return { contour, number, layer, colour, meaning, why, ...place };
  });
}

type Said = readonly [meaning: Meaning, why: string];

/** What was chosen for a contour, its layer or its colour. */
function byHand(recipe: DrawingRecipe, { number, layer, colour }: { number: number; layer: string; colour: string | null }): Said | null {
  const own = recipe.byContour[String(number)] as Meaning | undefined;
  if (own) return [own, 'chosen by hand'];
  const ofLayer = recipe.byLayer[layer] as Meaning | undefined;
  if (ofLayer) return [ofLayer, `layer "${layer}" chosen by hand`];
  const ofColour = colour === null ? undefined : (recipe.byColour[colour] as Meaning | undefined);
  return ofColour ? [ofColour, `colour ${colour} chosen by hand`] : null;
}

/** What a contour was made as, or its layer is called. "Cut" says little of a closed contour: its size may make it a hole or a small part. */
function asMade({ meaning }: Contour, layer: string, closed: boolean): Said | null {
  if (meaning) return [meaning, 'made so'];
  const named = meaningOfName(layer);
  return named && !(named === 'cut' && closed) ? [named, `name of layer "${layer}"`] : null;
}

/** Less deep than the stock is thick. */
function asMilled({ depth }: Contour, { stock }: DrawingRecipe): Said | null {
  return depth && depth > 0 && stock && depth < stock.thickness ? ['pocket', `${depth} mm deep`] : null;
}

/** By what is closed, how large it is and how it lies in others. @param empty whether nothing lies in it */
function bySize(contour: Contour, recipe: DrawingRecipe, { depth, area, empty }: { depth: number; area: number; empty: boolean }): Said {
  if (depth < 0) return ['score', 'open'];
  if (depth % 2 === 1) {
    const [diameter] = circleDiameters([contour]);
    return empty && diameter <= recipe.holeMost ? ['hole', `circle of ${Number(diameter.toFixed(3))} mm inside`] : ['cut', 'closed, inner'];
  }
  return area < recipe.smallArea ? ['small', `${area.toFixed(0)} mm², under ${recipe.smallArea} mm²`] : ['cut', 'closed, outer'];
}

/** A depth in a layer's name, as "pocket 3 mm" or "POCKET_3_5MM". Common practice. */
function withDepth(contour: Contour, layer: string): Contour {
  const found = /(?<!\d)(\d+)(?:[.,_](\d+))?[ _]?mm\b/i.exec(layer);
  return found ? { ...contour, depth: Number(`${found[1]}.${found[2] ?? 0}`) } : contour;
}

/** Diameters of full circles, mm, ascending. */
export function circleDiameters(contours: readonly Contour[]): number[] {
  return contours
    .filter((c) => c.segments.length === 1 && c.segments[0].kind === 'arc' && isFull(c.segments[0]))
    .map((c) => (c.segments[0] as ArcSegment).radius * 2)
    .sort((a, b) => a - b);
}

/** Meanings that are cut through: kerf, tabs and reliefs apply to them. */
export const cutThrough: ReadonlySet<Meaning> = new Set<Meaning>(['cut', 'hole', 'small']);

export const contourWith = (contour: Contour, segments: Contour['segments'], closed = contour.closed): Contour => ({
  ...contourOf(segments, closed, contour.colour),
  meaning: contour.meaning,
  depth: contour.depth,
});
