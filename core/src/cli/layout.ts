import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { Unusable, type Finding } from '../base/finding.ts';
import { clashes, layOut, rowsOnBed, type LayItem } from '../beds/layout.ts';
import { command, toFolder, type Asked, type Report } from '../command/command.ts';
import { millimetres, number } from '../command/option.ts';
import { facetOptions, loadDesign, meshesOf, readOptions } from '../command/source.ts';
import { meshFileOptions, partOf, receiverFor, reportOf, writeOut, type Written } from '../command/written.ts';
import { boxOf } from '../geometry/box.ts';
import { hull2 } from '../geometry/hull.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { usualChoices } from '../model/choices.ts';
import { bedFindings } from '../pipeline/one-file.ts';
import type { Receiver } from '../receivers/receivers.ts';
import { meshFormat } from './operate.ts';

const options = {
  copies: number('N', [1, 1000], 'copies', 'So many of each; usually as many as the file says.'),
  spacing: millimetres([0, 500], "Between parts; usually the receiver's."),
  margin: millimetres([0, 500], 'From the rim of the bed; usually 0.'),
  ...meshFormat,
  ...readOptions,
  ...facetOptions,
  ...meshFileOptions,
};

type Wish = Asked<typeof options>;
type Item = LayItem & { mesh: Mesh; colour: string | null };
type Misfits = ReturnType<typeof layOut>['misfits'];

/** Every part of a file, standing at Z 0, with its outline from above. */
async function itemsOf(file: string, wish: Wish, first: number): Promise<Item[]> {
  const { parts } = await loadDesign(file, { ...usualChoices, up: wish.up });
  const loaded = await meshesOf(file, { ...wish, places: 'one' });
  return loaded.map(({ name, mesh, colour }, i) => {
    const { min, max } = boxOf(mesh.positions);
    const standing: Mesh = { positions: mesh.positions.map((v, k) => (k % 3 === 2 ? v - min[2] : v)), triangles: mesh.triangles };
    const points: [number, number][] = [];
    for (let v = 0; v < standing.positions.length; v += 3) points.push([standing.positions[v], standing.positions[v + 1]]);
    const copies = (parts[i]?.summary.quantity ?? 1) * Math.round(wish.copies ?? 1);
    return { id: String(first + i), name, outline: hull2(points), height: max[2] - min[2], copies, mesh: standing, colour };
  });
}

const longWord = { height: 'high', length: 'long', width: 'wide' } as Record<string, string>;

function nothingFits(receiver: Receiver, misfits: Misfits): Unusable {
  const why = misfits.map((m) => `${m.name} is ${m.over.toFixed(1)} mm too ${longWord[m.along]}`).join('; ');
  const bed = receiver.bed.join(' x ');
  return new Unusable('fits-no-bed', `No part fits the bed of ${receiver.name} (${bed} mm): ${why}.`, 'Cut them (tall-kite cut), or choose another receiver.');
}

const misfit = (receiver: Receiver, { name, over, along }: Misfits[number]): Finding => ({
  code: 'fits-no-bed',
  severity: 'stop',
  count: 1,
  message: `${name} fits no bed of ${receiver.name}: ${over.toFixed(1)} mm over in ${along}.`,
  remedy: 'Turn it on its side, cut it, or choose another receiver.',
});

async function run(asked: Wish): Promise<Report> {
  const receiver = receiverFor(asked.receiver, 'stl');
  const [width, length, height] = receiver.bed;
  const size = { width, length, height, spacing: asked.spacing ?? receiver.spacing, margin: asked.margin ?? 0 };
  const items: Item[] = [];
  for (const file of asked.files) items.push(...(await itemsOf(file, asked, items.length)));
  const { laid, misfits, beds, filled } = layOut(items, size);
  if (laid.length === 0) throw nothingFits(receiver, misfits);
  await mkdir(asked.out, { recursive: true });
  const findings = misfits.map((m) => misfit(receiver, m));
  const { pairs, off } = clashes(items, laid, size);
  const clashing = pairs.length + off.length;
  if (clashing > 0)
    findings.push({ code: 'clash', severity: 'stop', count: clashing, message: `${clashing} places clash.`, remedy: 'Type a smaller spacing.' });
  const written: Written[] = [];
  for (let bed = 0; bed < beds; bed++) {
    const places = (item: Item) => laid.filter((l) => l.bed === bed && l.id === item.id).map((l) => rowsOnBed(l.turn, l.x, l.y));
    const list = items.map((item) => ({ ...partOf(item.name, item.mesh, item.colour), places: places(item) })).filter((p) => p.places.length > 0);
    findings.push(...bedFindings(list, receiver.bed));
    written.push(await writeOut(join(asked.out, `bed_${bed + 1}_of_${beds}_${asked.unit}.${asked.format}`), list, asked));
  }
  const shares = filled.map((f) => `${Math.round(f * 100)} %`).join(', ');
  const said = [`${laid.length} parts on ${beds} ${beds === 1 ? 'bed' : 'beds'} of ${receiver.name} (${width} x ${length} mm), filled ${shares}.`];
  return reportOf(asked.files[0], { receiver: receiver.id, bed: size, beds, laid, misfits, filled }, { said: said, written: written, findings: findings });
}

export const layoutCommand = command({
  word: 'layout',
  takes: 'IN...',
  least: 1,
  most: 100,
  out: toFolder,
  options,
  does: 'Parts laid on as many beds as they need, one file a bed.',
  example: 'layout "WS-105 hub.stl" "WS-103 mast bracket.step" --copies 3 --out beds',
  run,
});
