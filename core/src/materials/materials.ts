import Joi from 'joi';
import type { Finding } from '../base/finding.ts';

/** What parts are made of, as a shop keeps it. Lengths in mm. */
export interface Material {
  name: string;
  /** What designs and lists call it besides. */
  also: string[];
  /** g/cm3; null when nobody has said. */
  density: number | null;
  /** Thicknesses in which it comes, each with how far a sheet may be thinner and thicker. */
  comes: Thickness[];
  /** The bend table of the stores that was measured with it, by its id; null for none. */
  bends: string | null;
}

export interface Thickness {
  thickness: number;
  minus: number;
  plus: number;
}

/** Weight of a cubic centimetre by material, g; other materials have none. Common practice, handbook values. */
const handbook: readonly (readonly [RegExp, number])[] = [
  [/\b(birch|multiplex)/i, 0.68],
  [/\bply/i, 0.6],
  [/\bmdf\b/i, 0.75],
  [/chipboard|particle/i, 0.65],
  [/\boak\b/i, 0.71],
  [/\bpine\b|\bspruce\b/i, 0.48],
  [/acryl|pmma/i, 1.18],
  [/polycarb/i, 1.2],
  [/\balu|\balmg/i, 2.7],
  [/stainless/i, 7.9],
  [/steel/i, 7.85],
];

/** Most materials, names of one and thicknesses of one. */
export const mostMaterials = { kept: 500, names: 20, thicknesses: 60 };

const figure = Joi.number().strict();
const name = Joi.string().trim().min(1).max(60);

export const materialSchema = Joi.object<Material>({
  name: name.required().messages({ 'string.empty': 'A material needs a name' }),
  also: Joi.array().items(name).max(mostMaterials.names).required(),
  density: figure.min(0.01).max(30).allow(null).required(),
  comes: Joi.array()
    .items(
      Joi.object({
        thickness: figure.greater(0).max(1000).required(),
        minus: figure.min(0).less(Joi.ref('thickness')).required(),
        plus: figure.min(0).max(100).required(),
      }),
    )
    .max(mostMaterials.thicknesses)
    .required(),
  bends: Joi.string().guid().allow(null).required(),
});

const plain = (text: string): string => text.trim().toLowerCase().replace(/\s+/g, ' ');

/** The material that a design or a list means by a text: by its name or by what else it is called, small and capital letters alike. @example materialNamed(stored, 'AlMg3') */
export function materialNamed(materials: readonly Material[], text: string): Material | null {
  const wanted = plain(text);
  if (wanted === '') return null;
  return materials.find((m) => plain(m.name) === wanted) ?? materials.find((m) => m.also.some((a) => plain(a) === wanted)) ?? null;
}

/** g/cm3: what the shop keeps for that name, else a handbook's value by the word in it, else null. */
export function densityOf(text: string, materials: readonly Material[] = []): number | null {
  return materialNamed(materials, text)?.density ?? handbook.find(([word]) => word.test(text))?.[1] ?? null;
}

/** Beyond this a thickness is another one, mm: figures of designs are rounded. */
const rounding = 1e-3;

/** The thickness in which a material comes that a part of it can be cut from; null when there is none. Nearest first where bands overlap. */
export function comesIn({ comes }: Material, thickness: number): Thickness | null {
  let best: Thickness | null = null;
  for (const t of comes) {
    if (thickness < t.thickness - t.minus - rounding || thickness > t.thickness + t.plus + rounding) continue;
    if (!best || Math.abs(t.thickness - thickness) < Math.abs(best.thickness - thickness)) best = t;
  }
  return best;
}

/** Said of a part whose thickness its material does not come in; null when it does, or nobody has said in what it comes. */
export function thicknessDoubt(materials: readonly Material[], text: string, thickness: number | null): Finding | null {
  const material = materialNamed(materials, text);
  if (!material || thickness === null || material.comes.length === 0 || comesIn(material, thickness)) return null;
  const band = ({ thickness: t, minus, plus }: Thickness): string => (minus === 0 && plus === 0 ? `${t}` : minus === plus ? `${t} ± ${plus}` : `${t} -${minus} +${plus}`); // prettier-ignore
  const sorted = [...material.comes].sort((a, b) => Math.abs(a.thickness - thickness) - Math.abs(b.thickness - thickness));
  const near = sorted.slice(0, 3).sort((a, b) => a.thickness - b.thickness).map(band); // prettier-ignore
  return {
    code: 'thickness-not-in-stores',
    severity: 'look',
    count: 1,
    message: `${material.name} does not come ${Number(thickness.toFixed(3))} mm thick; the stores have ${near.join(', ')} mm.`,
    remedy: 'Change the thickness or the material, or put that thickness into the stores.',
  };
}
