import type { Finding } from '../../base/finding.ts';
import { Zip, ZipDeflate } from 'fflate';
import type { Mesh } from '../../geometry/mesh.ts';
import { identityRows, type Rows } from '../../geometry/rows.ts';

/** A part of a 3MF file: its mesh (mm) in its own coordinates and where copies of it are built. */
export interface ThreeMfPart {
  name: string;
  partNumber: string | null;
  colour: string | null;
  mesh: Mesh;
  places: Rows[];
  /** What reading left out of the part's source. */
  lost?: readonly Finding[];
}

const units: Record<string, string> = { mm: 'millimeter', cm: 'centimeter', m: 'meter', in: 'inch', ft: 'foot' };
const core = 'http://schemas.microsoft.com/3dmanufacturing/core/2015/02';

/**
 * A 3MF package in pieces: one object a part with its name and colour, build items where copies stand. The same input gives
 * the same bytes (no times in it). Source: 3MF Core Specification 1.3; Open Packaging Conventions (ECMA-376 part 2).
 * @param unit mm, cm, m, in or ft. @param perUnit mm in it.
 */
export function* threeMfFile(parts: readonly ThreeMfPart[], unit: string, perUnit: number, title: string): Generator<Uint8Array> {
  const chunks: Uint8Array[] = [];
  let failed: Error | null = null;
  const zip = new Zip((error, chunk) => {
    if (error) failed = error;
    else chunks.push(chunk);
  });
  const encoder = new TextEncoder();
  function* member(name: string, texts: Iterable<string>): Generator<Uint8Array> {
    const file = new ZipDeflate(name, { level: 6 });
    // A fixed time (the first that the archive format knows), so that equal parts give equal bytes.
    file.mtime = '1980-01-01T00:00:00';
    zip.add(file);
    for (const text of texts) {
      file.push(encoder.encode(text));
      if (failed) throw failed;
      yield* chunks.splice(0);
    }
    file.push(new Uint8Array(0), true);
    yield* chunks.splice(0);
  }
  yield* member('[Content_Types].xml', [
    '<?xml version="1.0" encoding="UTF-8"?>\n<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>',
  ]);
  yield* member('_rels/.rels', [
    '<?xml version="1.0" encoding="UTF-8"?>\n<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>',
  ]);
  yield* member('3D/3dmodel.model', modelText(parts, units[unit] ?? 'millimeter', perUnit, title));
  zip.end();
  yield* chunks.splice(0);
}

const escaped = (text: string) => text.replace(/[&<>"\0-\x1f\x7f\ufffe\uffff]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c] ?? ' ');

function* modelText(parts: readonly ThreeMfPart[], unit: string, perUnit: number, title: string): Generator<string> {
  yield `<?xml version="1.0" encoding="UTF-8"?>\n<model unit="${unit}" xml:lang="en" xmlns="${core}">\n<metadata name="Title">${escaped(title)}</metadata>\n<metadata name="Application">Tall Kite</metadata>\n<resources>\n`;
  const colours = [...new Set(parts.map((p) => p.colour).filter((c) => c !== null))];
  if (colours.length > 0) {
    yield `<basematerials id="1">${colours.map((c) => `<base name="${c}" displaycolor="${c.toUpperCase()}FF"/>`).join('')}</basematerials>\n`;
  }
  // Rounded to a ten-millionth of the unit: below what any machine makes, and short to write.
  const number = (value: number) => String(Math.round((value / perUnit) * 1e7) / 1e7);
  for (const [i, part] of parts.entries()) {
    const { positions: p, triangles: t } = part.mesh;
    const colour = part.colour === null ? '' : ` pid="1" pindex="${colours.indexOf(part.colour)}"`;
    const partNumber = part.partNumber === null ? '' : ` partnumber="${escaped(part.partNumber)}"`;
    yield `<object id="${i + 2}" type="model" name="${escaped(part.name)}"${partNumber}${colour}>\n<mesh>\n<vertices>\n`;
    let text = '';
    for (let v = 0; v < p.length; v += 3) {
      text += `<vertex x="${number(p[v])}" y="${number(p[v + 1])}" z="${number(p[v + 2])}"/>\n`;
      if (text.length > 1 << 18) {
        yield text;
        text = '';
      }
    }
    yield `${text}</vertices>\n<triangles>\n`;
    text = '';
    for (let k = 0; k < t.length; k += 3) {
      text += `<triangle v1="${t[k]}" v2="${t[k + 1]}" v3="${t[k + 2]}"/>\n`;
      if (text.length > 1 << 18) {
        yield text;
        text = '';
      }
    }
    yield `${text}</triangles>\n</mesh>\n</object>\n`;
  }
  yield '</resources>\n<build>\n';
  for (const [i, part] of parts.entries()) {
    for (const m of part.places) yield `<item objectid="${i + 2}"${isIdentity(m) ? '' : ` transform="${transformText(m, perUnit)}"`}/>\n`;
  }
  yield '</build>\n</model>\n';
}

function isIdentity(m: Rows): boolean {
  return m.every((v, i) => v === identityRows[i]);
}

function transformText(m: Rows, perUnit: number): string {
  const number = (v: number) => String(Number(v.toPrecision(14)) + 0);
  const order = [0, 4, 8, 1, 5, 9, 2, 6, 10];
  return [...order.map((i) => number(m[i])), ...[3, 7, 11].map((i) => number(m[i] / perUnit))].join(' ');
}
