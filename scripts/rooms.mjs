// The picture of core's rooms: each uses only those below it, or to its left in its row.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(fileURLToPath(import.meta.url), '..', '..');
/** Rooms from the ground up, as lint holds them. */
export const rooms = JSON.parse(readFileSync(join(root, 'core', 'rooms.json'), 'utf8'));

const [across, wide, high, gap] = [4, 150, 28, 6];

/** @param names rooms from the ground up */
export function layersSvg(names) {
  const rows = Math.ceil(names.length / across);
  const [width, height] = [across * (wide + gap) + 150, rows * (high + gap) + 28];
  const boxes = names.map((name, i) => {
    const [x, y] = [20 + (i % across) * (wide + gap), 14 + (rows - 1 - Math.floor(i / across)) * (high + gap)];
    return `<rect x="${x}" y="${y}" width="${wide}" height="${high}" fill="#f7f5ef" stroke="#27489f"/><text x="${x + wide / 2}" y="${y + 19}" text-anchor="middle">${name}</text>`;
  });
  const x = 20 + across * (wide + gap) + 10;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" font-family="sans-serif" font-size="14" fill="#1b2440">
<rect width="${width}" height="${height}" fill="#fffefa"/>
${boxes.join('\n')}
<path d="M${x} 20V${height - 20}" stroke="#bf3c18" fill="none"/><path d="M${x - 5} ${height - 28}l5 10 5-10" fill="none" stroke="#bf3c18"/>
<text x="${x + 10}" y="${height / 2 - 8}" fill="#bf3c18">uses only what</text><text x="${x + 10}" y="${height / 2 + 10}" fill="#bf3c18">is below or to</text><text x="${x + 10}" y="${height / 2 + 28}" fill="#bf3c18">the left</text>
</svg>
`;
}
