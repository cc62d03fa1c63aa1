import type { Pressed } from '../model/flat.ts';
import Papa from 'papaparse';
import type { FlatFigures } from '../model/design.ts';
import type { Drawing } from '../curves/drawing.ts';
import { contourText } from '../formats/svg/write.ts';
import type { P2 } from '../curves/segment.ts';

const round = (v: number, digits = 4): number => Number(v.toFixed(digits));

/** The bend table of a flat as CSV (RFC 4180): one row a bend, lengths in mm, angles in degrees. */
export function bendCsv(flat: FlatFigures): string {
  const head = ['order', 'direction', 'angle_deg', 'inside_radius_mm', 'tool_radius_mm', 'length_mm', 'allowance_mm', 'deduction_mm', 'k_factor', 'rule'];
  if (flat.press) head.push('die_opening_mm', 'force_kN', 'least_flange_mm', 'flange_mm');
  const pressed = new Map((flat.press ?? []).map((p) => [p.order, [p.opening, round(p.force, 2), round(p.leastFlange, 2), round(p.flange, 2)]]));
  const rows = flat.bends.map((b) => [
    b.order,
    b.direction,
    round(b.angle),
    round(b.radius),
    round(b.tool),
    round(b.length),
    round(b.allowance),
    round(b.deduction),
    round(b.k),
    b.rule,
    ...(flat.press ? (pressed.get(b.order) ?? ['', '', '', '']) : []),
  ]);
  return `${Papa.unparse({ fields: head, data: rows }, { newline: '\r\n', escapeFormulae: true })}\r\n`;
}

const pressText = (p: Pressed | undefined): string[] => (p ? [`${p.opening}`, `${round(p.force, 1)} kN`] : ['', '']);

const escapeXml = (text: string): string => text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** A picture that is drawn as SVG: y downwards from the flat's top, one unit one mm, writing and strokes in shares of the flat's size. */
class BrakeSheet {
  readonly body: string[] = [];
  readonly w: number;
  readonly h: number;
  /** A seventieth of the flat's longer side: what writing and strokes are measured in, mm. */
  readonly u: number;
  private readonly box: FlatFigures['box'];

  constructor(box: FlatFigures['box']) {
    this.box = box;
    [this.w, this.h] = [box[2] - box[0], box[3] - box[1]];
    this.u = Math.max(this.w, this.h) / 70;
  }

  at([x, y]: P2): P2 {
    return [x - this.box[0], this.box[3] - y];
  }

  /** @param look size in units, which end the place is, degrees that it is turned by. */
  text([x, y]: P2, words: string, look: { size?: number; anchor?: string; turn?: number } = {}): void {
    const { size = 2, anchor = 'start', turn = 0 } = look;
    const turned = turn ? ` transform="rotate(${turn} ${x.toFixed(3)} ${y.toFixed(3)})"` : '';
    this.body.push(
      `<text x="${x.toFixed(3)}" y="${y.toFixed(3)}" font-size="${(size * this.u).toFixed(3)}" text-anchor="${anchor}"${turned}>${escapeXml(words)}</text>`,
    );
  }

  rule(a: P2, b: P2, extra = ''): void {
    this.body.push(
      `<line x1="${a[0].toFixed(3)}" y1="${a[1].toFixed(3)}" x2="${b[0].toFixed(3)}" y2="${b[1].toFixed(3)}" stroke="#000" stroke-width="${(this.u / 8).toFixed(3)}"${extra}/>`,
    );
  }

  /** What is cut and marked. */
  outline(drawing: Drawing): void {
    for (const c of drawing.layers.flatMap((l) => l.contours)) {
      if (c.meaning !== 'cut' && c.meaning !== 'hole' && c.meaning !== 'mark') continue;
      const width = (this.u / (c.meaning === 'mark' ? 8 : 4)).toFixed(3);
      const drawn = contourText({ ...c, colour: null }, (p) => this.at([p[0], p[1]])).trim();
      this.body.push(`<g fill="none" stroke="#000" stroke-width="${width}">${drawn}</g>`);
    }
  }

  /** The lines of a bend, with its number, direction and angle beside the first. */
  bend(bend: FlatFigures['bends'][number]): void {
    const { u } = this;
    const dashes = bend.direction === 'up' ? `${2 * u} ${u / 2} ${u / 2} ${u / 2}` : `${u} ${u}`;
    for (const [a, b] of bend.lines) this.rule(this.at(a), this.at(b), ` stroke-dasharray="${dashes}"`);
    const [a, b] = bend.lines[0] ?? [];
    if (!a) return;
    const [p, q] = [this.at(a), this.at(b)];
    const m: P2 = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
    this.body.push(
      `<circle cx="${m[0].toFixed(3)}" cy="${m[1].toFixed(3)}" r="${(1.6 * u).toFixed(3)}" fill="#fff" stroke="#000" stroke-width="${(u / 8).toFixed(3)}"/>`,
    );
    this.text([m[0], m[1] + 0.7 * u], String(bend.order), { anchor: 'middle' });
    this.text([m[0] + 2.2 * u, m[1] - 0.5 * u], `${bend.direction} ${round(bend.angle, 2)}°`, { size: 1.7 });
  }

  /** Overall size and the running distances of bend lines from the left or the lower edge. */
  scale(values: readonly number[], horizontal: boolean): void {
    const { u, w, h } = this;
    const size = horizontal ? w : h;
    const stops = [...new Set([0, ...values.map((v) => round(v, 3)), round(size, 3)])].sort((a, b) => a - b);
    const off = 5 * u;
    const place = (v: number): P2 => (horizontal ? [v, h + off] : [-off, v]);
    this.rule(place(0), place(size));
    let last = -Infinity;
    for (const v of stops) {
      const p = place(v);
      // Figures that would run into each other are moved out by a line.
      const close = Math.abs(v - last) < 2.2 * u;
      if (horizontal) {
        this.rule([p[0], h + u], [p[0], p[1] + u]);
        this.text([p[0] - 0.3 * u, p[1] + (close ? 6.5 : 2) * u], String(round(v, 2)), { size: 1.7, anchor: 'end', turn: -90 });
      } else {
        this.rule([-u, p[1]], [p[0] - u, p[1]]);
        this.text([p[0] - (close ? 6.5 : 1.4) * u, p[1] + 0.6 * u], String(round(h - v, 2)), { size: 1.7, anchor: 'end' });
      }
      last = v;
    }
  }
}

/** Where bend lines run upright (their x on the sheet) and across (their y). */
function bendPlaces(sheet: BrakeSheet, flat: FlatFigures): { upright: number[]; across: number[] } {
  const lines = flat.bends.flatMap((b) => b.lines.map(([p, q]) => [sheet.at(p), sheet.at(q)]));
  const same = (k: 0 | 1) => lines.filter(([p, q]) => Math.abs(p[k] - q[k]) < 1e-6 * sheet.u).map(([p]) => p[k]);
  return { upright: same(0), across: same(1) };
}

/** The bend table, in rows. */
function bendRows(flat: FlatFigures): string[][] {
  return [
    ['', 'direction', 'angle', 'inside R', 'length', 'allowance', ...(flat.press ? ['V', 'force'] : [])],
    ...flat.bends.map((b) => [
      String(b.order),
      b.direction,
      `${round(b.angle, 2)}°`,
      `${round(b.tool, 3)}`,
      `${round(b.length, 2)}`,
      `${round(b.allowance, 3)}`,
      ...(flat.press ? pressText(flat.press.find((p) => p.order === b.order)) : []),
    ]),
  ];
}

/** Where the columns of the bend table begin, in units. */
const columns = [0, 5, 14, 22, 30, 38, 47, 53];

/**
 * A picture of the flat for the press brake, as SVG: outline, bend lines numbered in their order with direction and angle, sizes, distances of
 * the bend lines from two edges, and the bend table. One unit is one mm; not a cut file.
 */
export function brakePicture(name: string, flat: FlatFigures, drawing: Drawing): string {
  const sheet = new BrakeSheet(flat.box);
  const { w, h, u } = sheet;
  sheet.outline(drawing);
  for (const bend of flat.bends) sheet.bend(bend);
  const { upright, across } = bendPlaces(sheet, flat);
  sheet.scale(upright, true);
  sheet.scale(across, false);
  const rows = bendRows(flat);
  const tx = w + 6 * u;
  const material = flat.material ? `, ${flat.material}` : '';
  const weight = flat.weight === null ? '' : `; ${round(flat.weight, 1)} g`;
  sheet.text([tx, 1.5 * u], name, { size: 2.6 });
  sheet.text([tx, 4.5 * u], `sheet ${round(flat.thickness, 3)} mm${material}; flat ${round(w, 2)} × ${round(h, 2)} mm`, { size: 1.8 });
  sheet.text([tx, 7.2 * u], `up side shown; lengths in mm${weight}`, { size: 1.8 });
  rows.forEach((row, i) => row.forEach((v, k) => sheet.text([tx + columns[k] * u, (11 + i * 2.6) * u], v, { size: 1.8 })));
  const [x0, y0] = [-16 * u, -4 * u];
  const width = w + 16 * u + (flat.press ? 72 : 56) * u;
  const height = Math.max(h + 20 * u, (16 + rows.length * 2.6) * u);
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width.toFixed(2)}mm" height="${height.toFixed(2)}mm" viewBox="${x0.toFixed(3)} ${y0.toFixed(3)} ${width.toFixed(3)} ${height.toFixed(3)}" font-family="sans-serif">`,
    `<title>${escapeXml(name)}: flat with bends</title>`,
    `<rect x="${x0.toFixed(3)}" y="${y0.toFixed(3)}" width="100%" height="100%" fill="#fff"/>`,
    ...sheet.body,
    '</svg>\n',
  ].join('\n');
}
