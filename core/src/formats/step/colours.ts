import { Ref, type Part21, type Value } from './part21.ts';
import { enumOf, refOf, refsOf, textOf } from './values.ts';

/** Types of faces. */
export const faceTypes: ReadonlySet<string> = new Set(['ADVANCED_FACE', 'FACE_SURFACE']);

/** Faces of one solid at most that are looked at for their colours. */
const mostFaces = 200_000;

/** Faces below a solid, a surface model or a shell. Source: ISO 10303-42, manifold_solid_brep, brep_with_voids, shell_based_surface_model, connected_face_set. */
export function facesBelow(file: Part21, id: number): number[] {
  const out: number[] = [];
  const seen = new Set([id]);
  for (const at of seen) {
    if (out.length + seen.size > 2 * mostFaces) break;
    if (faceTypes.has(file.types(at)[0] ?? '')) out.push(at);
    else for (const v of file.params(at)) for (const next of refsIn(v)) seen.add(next);
  }
  return out;
}

const refsIn = (v: Value): number[] => (v instanceof Ref ? [v.id] : Array.isArray(v) ? v.flatMap(refsIn) : []);

/** Colours that have a name. Source: ISO 10303-46, draughting_pre_defined_colour. */
const named: Record<string, string> = { red: '#ff0000', green: '#00ff00', blue: '#0000ff', yellow: '#ffff00', magenta: '#ff00ff', cyan: '#00ffff', black: '#000000', white: '#ffffff' }; // prettier-ignore
/** Steps from a style to its colour at most. */
const deepest = 8;

/**
 * Colours of surfaces by what they are given to: solids and representations. sRGB as #rrggbb.
 * Source: ISO 10303-46, styled_item and surface_style_usage.
 */
export function colourByItem(file: Part21): Map<number, string> {
  const out = new Map<number, string>();
  const found: Found = new Map();
  for (const type of ['STYLED_ITEM', 'OVER_RIDING_STYLED_ITEM']) {
    for (const id of file.ids(type)) {
      const several = file.types(id).length > 1;
      const p = file.params(id, several ? 'STYLED_ITEM' : undefined);
      const [styles, item]: (Value | undefined)[] = several ? [p[0], p[1]] : [p[1], p[2]];
      const colour = refsOf(styles).map((style) => colourOf(file, style, found, 0)).find((c) => c !== null); // prettier-ignore
      if (colour) out.set(refOf(item), colour);
    }
  }
  return out;
}

/** Colours by styles that were followed already. */
type Found = Map<number, string | null>;

/** What each kind of style leads on to. */
const followed: Record<string, (p: Value[]) => number[]> = {
  PRESENTATION_STYLE_ASSIGNMENT: (p) => refsOf(p[0]),
  PRESENTATION_STYLE_BY_CONTEXT: (p) => refsOf(p[0]),
  SURFACE_STYLE_USAGE: (p) => (enumOf(p[0]) === 'NEGATIVE' ? [] : [refOf(p[1])]),
  SURFACE_SIDE_STYLE: (p) => refsOf(p[1]),
  FILL_AREA_STYLE: (p) => refsOf(p[1]),
  SURFACE_STYLE_FILL_AREA: (p) => [refOf(p[0])],
  SURFACE_STYLE_RENDERING: (p) => [refOf(p[1])],
  SURFACE_STYLE_RENDERING_WITH_PROPERTIES: (p) => [refOf(p[1])],
  FILL_AREA_STYLE_COLOUR: (p) => [refOf(p[1])],
};

/** The colour that a style leads to; null for none, or one of curves. */
function colourOf(file: Part21, id: number, found: Found, depth: number): string | null {
  const known = found.get(id);
  if (known !== undefined) return known;
  // What leads back to itself leads to none.
  found.set(id, null);
  const colour = depth > deepest ? null : colourFrom(file, id, found, depth);
  found.set(id, colour);
  return colour;
}

function colourFrom(file: Part21, id: number, found: Found, depth: number): string | null {
  const [type] = file.types(id);
  if (type === undefined) return null;
  const p = file.params(id);
  const next = followed[type]?.(p);
  if (next) return next.map((n) => colourOf(file, n, found, depth + 1)).find((c) => c !== null) ?? null;
  if (type === 'DRAUGHTING_PRE_DEFINED_COLOUR') return named[textOf(p[0]).toLowerCase()] ?? null;
  if (type !== 'COLOUR_RGB') return null;
  const rgb = p.slice(1, 4).map((v) => (typeof v === 'number' ? Math.round(Math.min(1, Math.max(0, v)) * 255) : 0));
  return `#${rgb.map((v) => v.toString(16).padStart(2, '0')).join('')}`;
}
