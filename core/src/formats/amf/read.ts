import { latin } from '../../base/latin.ts';
import type { Finding } from '../../base/finding.ts';
import { identityRows, timesRows, type Rows } from '../../geometry/rows.ts';
import { badFaces, coloursLost, leftOut, type MeshFile, type MeshFilePart } from '../mesh-file.ts';
import { finiteOnly } from '../obj/read.ts';
import { eachTag } from '../xml-tags.ts';
import { broken } from './broken.ts';
import { AmfTags, type Body, type Placed } from './tags.ts';

/** Whether the bytes begin as an AMF file does. */
export function looksLikeAmf(bytes: Uint8Array): boolean {
  return /<amf[\s>]/.test(latin(bytes.subarray(0, 2048)));
}

/**
 * Reads an AMF file (not packed): objects with their volumes, names, materials' colours, and where a constellation puts them.
 * A volume of its own is a part of its own when an object has several. Curved triangles and lattices are told.
 * Source: ISO/ASTM 52915:2020 (elements from memory).
 */
export function readAmf(bytes: Uint8Array): MeshFile {
  const tags = new AmfTags();
  eachTag(bytes, tags, broken);
  const findings: Finding[] = leftOut(tags.out, 'The flat triangles were taken; what bends or fills them was not.');
  const parts: MeshFilePart[] = [];
  let coloured = 0;
  for (const [id, rows] of placesOf(tags.bodies, tags.constellations)) {
    const body = tags.bodies.get(id);
    if (!body) {
      tags.bad++;
      continue;
    }
    if (body.colours.size > 1) coloured++;
    parts.push(...partsOf(body, rows, tags, findings));
  }
  if (coloured > 0) findings.push(coloursLost(coloured));
  if (tags.bad > 0) findings.push(badFaces(tags.bad));
  if (parts.length === 0)
    findings.push({
      code: 'no-triangles',
      severity: 'stop',
      count: 1,
      message: 'The file has no faces.',
      remedy: 'Export it again with the part shown and chosen.',
    });
  return { version: 'AMF', unit: tags.unit[1], parts, findings };
}

/** The parts of an object at its places: one, or one for each of its volumes. */
function partsOf(body: Body, rows: readonly Rows[], { unit: [mm], materials }: AmfTags, findings: Finding[]): MeshFilePart[] {
  const all = body.vertices.taken().map((v) => v * mm);
  const only = body.colours.size === 1 ? [...body.colours][0] : null;
  return body.volumes.flatMap((v, i) => {
    if (v.triangles.length === 0) return [];
    const name = body.volumes.length > 1 ? `${body.name ?? `Object ${body.id}`} ${i + 1}` : body.name;
    const colour = v.colour ?? materials.get(v.material ?? '') ?? only;
    const places = rows.map((m) => m.map((x, k) => (k % 4 === 3 ? x * mm : x)));
    return [{ name, above: [], partNumber: null, colour, mesh: finiteOnly(all, v.triangles.taken(), findings), places }];
  });
}

const mostPlaces = 20_000;
const deepest = 32;

/** Where every object stands: as constellations say; objects that none of them names stand where they are drawn. */
function placesOf(bodies: Map<string, Body>, constellations: Map<string, Placed[]>): Map<string, Rows[]> {
  const out = new Map<string, Rows[]>();
  const inner = new Set([...constellations.values()].flat().map((p) => p.object));
  let count = 0;
  const visit = (id: string, rows: Rows, depth: number): void => {
    if (depth > deepest) throw broken('its constellations are nested too deep');
    if (++count > mostPlaces) throw broken(`it places more than ${mostPlaces.toLocaleString('en')} parts`);
    const group = constellations.get(id);
    if (group) for (const p of group) visit(p.object, timesRows(rows, p.rows), depth + 1);
    else out.set(id, [...(out.get(id) ?? []), rows]);
  };
  for (const id of constellations.keys()) if (!inner.has(id)) visit(id, identityRows, 0);
  for (const id of bodies.keys()) if (!out.has(id) && !inner.has(id)) out.set(id, [identityRows]);
  return out;
}
