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

/**
 * A picture of the flat for the press brake, as SVG: outline, bend lines numbered in their order with direction and angle, sizes, distances of
 * the bend lines from two edges, and the bend table. One unit is one mm; not a cut file.
 */
export function brakePicture(name: string, flat: FlatFigures, drawing: Drawing): string {
  const [left, bottom, right, top] = flat.box;
  const [w, h] = [right - left, top - bottom];
  const u = Math.max(w, h) / 70;
  const text = (x: number, y: number, words: string, size = 2, anchor = 'start', turn = 0) =>
    `<text x="${x.toFixed(3)}" y="${y.toFixed(3)}" font-size="${(size * u).toFixed(3)}" text-anchor="${anchor}"${turn ? ` transform="rotate(${turn} ${x.toFixed(3)} ${y.toFixed(3)})"` : ''}>${escapeXml(words)}</text>`;
  const at = ([x, y]: P2): P2 => [x - left, top - y];
  const rule = (a: P2, b: P2, extra = '') =>
    `<line x1="${a[0].toFixed(3)}" y1="${a[1].toFixed(3)}" x2="${b[0].toFixed(3)}" y2="${b[1].toFixed(3)}" stroke="#000" stroke-width="${(u / 8).toFixed(3)}"${extra}/>`;
  const body: string[] = [];
  for (const layer of drawing.layers) {
    for (const c of layer.contours) {
      if (c.meaning !== 'cut' && c.meaning !== 'hole' && c.meaning !== 'mark') continue;
      const width = (u / (c.meaning === 'mark' ? 8 : 4)).toFixed(3);
      body.push(`<g fill="none" stroke="#000" stroke-width="${width}">${contourText({ ...c, colour: null }, (p) => at([p[0], p[1]])).trim()}</g>`);
    }
  }
  const across: number[] = [];
  const upright: number[] = [];
  for (const bend of flat.bends) {
    for (const [a, b] of bend.lines) {
      const [p, q] = [at(a), at(b)];
      body.push(rule(p, q, ` stroke-dasharray="${bend.direction === 'up' ? `${2 * u} ${u / 2} ${u / 2} ${u / 2}` : `${u} ${u}`}"`));
      if (Math.abs(p[0] - q[0]) < 1e-6 * u) upright.push(p[0]);
      else if (Math.abs(p[1] - q[1]) < 1e-6 * u) across.push(p[1]);
    }
    const [a, b] = bend.lines[0] ?? [];
    if (!a) continue;
    const [p, q] = [at(a), at(b)];
    const m: P2 = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
    body.push(
      `<circle cx="${m[0].toFixed(3)}" cy="${m[1].toFixed(3)}" r="${(1.6 * u).toFixed(3)}" fill="#fff" stroke="#000" stroke-width="${(u / 8).toFixed(3)}"/>`,
    );
    body.push(text(m[0], m[1] + 0.7 * u, String(bend.order), 2, 'middle'));
    body.push(text(m[0] + 2.2 * u, m[1] - 0.5 * u, `${bend.direction} ${round(bend.angle, 2)}°`, 1.7));
  }
  // Overall sizes and the running distances of bend lines from the left and the lower edge.
  const scale = (values: number[], size: number, horizontal: boolean) => {
    const stops = [...new Set([0, ...values.map((v) => round(v, 3)), round(size, 3)])].sort((a, b) => a - b);
    const off = 5 * u;
    const place = (v: number): P2 => (horizontal ? [v, h + off] : [-off, v]);
    body.push(rule(place(0), place(size)));
    let last = -Infinity;
    for (const v of stops) {
      const p = place(v);
      body.push(horizontal ? rule([p[0], h + u], [p[0], p[1] + u]) : rule([-u, p[1]], [p[0] - u, p[1]]));
      const shown = round(horizontal ? v : h - v, 2);
      // Figures that would run into each other are moved out by a line.
      const close = Math.abs(v - last) < 2.2 * u;
      body.push(
        horizontal
          ? text(p[0] - 0.3 * u, p[1] + (close ? 6.5 : 2) * u, String(shown), 1.7, 'end', -90)
          : text(p[0] - (close ? 6.5 : 1.4) * u, p[1] + 0.6 * u, String(shown), 1.7, 'end'),
      );
      last = v;
    }
  };
  scale(upright, w, true);
  scale(across, h, false);
  const rows = [
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
  const columns = [0, 5, 14, 22, 30, 38, 47, 53];
  const tx = w + 6 * u;
  body.push(text(tx, 1.5 * u, name, 2.6));
  body.push(
    text(tx, 4.5 * u, `sheet ${round(flat.thickness, 3)} mm${flat.material ? `, ${flat.material}` : ''}; flat ${round(w, 2)} × ${round(h, 2)} mm`, 1.8),
  );
  body.push(text(tx, 7.2 * u, `up side shown; lengths in mm${flat.weight === null ? '' : `; ${round(flat.weight, 1)} g`}`, 1.8));
  rows.forEach((row, i) => row.forEach((v, k) => body.push(text(tx + columns[k] * u, (11 + i * 2.6) * u, v, 1.8))));
  const [x0, y0] = [-16 * u, -4 * u];
  const width = w + 16 * u + (flat.press ? 72 : 56) * u;
  const height = Math.max(h + 20 * u, (16 + rows.length * 2.6) * u);
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width.toFixed(2)}mm" height="${height.toFixed(2)}mm" viewBox="${x0.toFixed(3)} ${y0.toFixed(3)} ${width.toFixed(3)} ${height.toFixed(3)}" font-family="sans-serif">`,
    `<title>${escapeXml(name)}: flat with bends</title>`,
    `<rect x="${x0.toFixed(3)}" y="${y0.toFixed(3)}" width="100%" height="100%" fill="#fff"/>`,
    ...body,
    '</svg>\n',
  ].join('\n');
}
