import { readFile } from 'node:fs/promises';
import { basename, extname } from 'node:path';
import { Unusable } from '../base/finding.ts';
import { receiveTable } from '../bender/receive.ts';
import { shopReceives } from '../boards/shop.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { choiceOrNone } from '../command/option.ts';
import { receiverOption } from '../command/written.ts';
import { sizeOf } from '../geometry/box.ts';
import { nodeKernels } from '../kernel/load.ts';
import { formatByBytes } from '../pipeline/read.ts';
import { receiveDrawing } from '../processes/cutters.ts';
import { receiveFile } from '../processes/receive.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { flatFormats, isBender, isBoardShop, takesOf, takesParts, type BenderReceiver, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { cornersOf, tableOf } from '../tubes/run.ts';

const options = { as: choiceOrNone(['laser', 'router', 'printer', 'bender', 'board'], 'Which kind of machine.'), ...receiverOption };

const kindOf: Record<'laser' | 'router' | 'printer' | 'bender' | 'board', (r: Receiver) => boolean> = {
  laser: (r) => r.cutter?.kind === 'laser',
  router: (r) => r.cutter?.kind === 'router',
  printer: (r) => takesOf(r) === 'solids',
  bender: isBender,
  board: isBoardShop,
};

/** What benders and board shops take, which is no file of a part; null for other machines. */
function madeOfParts({ as, receiver }: Asked<typeof options>, ending: string, bytes: Uint8Array, name: string): Report | Promise<Report> | null {
  if (as === 'board' || ending === 'zip' || (receiver && isBoardShop(receiver))) return boardReport(bytes, receiver);
  const bender = receiver ?? (as === 'bender' || ending === 'csv' ? readyReceivers.find(isBender)! : null);
  return bender && isBender(bender) ? tableReport(bytes, bender, name) : null;
}

/** What a board shop understands from a zip. */
async function boardReport(bytes: Uint8Array, asked: Receiver | null): Promise<Report> {
  const receiver = asked ?? readyReceivers.find(isBoardShop)!;
  if (!isBoardShop(receiver)) throw new Unusable('no-board-shop', `${receiver.name} (${receiver.process}) makes no boards.`, 'Name a board shop.');
  const { received, figures: f, findings } = shopReceives(await nodeTools.engine(), bytes, receiver);
  const layers = received.layers.map((l) => ({
    file: l.file,
    kind: l.kind,
    side: l.side,
    function: l.function,
    objects: l.gerber.objects.length,
    unit: l.unit,
  }));
  const drills = received.drills.map((d) => ({ file: d.file, plated: d.plated, unit: d.drill.unit }));
  const json = { receiver: receiver.name, as: 'board', ...f, layers, drills, findings };
  const text = `${receiver.name} (${receiver.process}): ${f.size.map((v) => v.toFixed(3)).join(' x ')} mm, ${layers.length} layers, ${f.holes.reduce((n, x) => n + x.count, 0)} holes\n${findings.map((x) => `  ${x.severity}: ${x.message} ${x.remedy}\n`).join('')}`;
  return { json, text, severities: findings.map((x) => x.severity) };
}

/** What a tube bender understands from a table. */
function tableReport(bytes: Uint8Array, receiver: BenderReceiver, name: string): Report {
  const got = receiveTable(bytes, receiver, name);
  const { rows, lastLength } = tableOf(got.run);
  const { shape, width, height, wall } = got.run.section;
  const json = {
    receiver: receiver.name,
    as: 'bender',
    format: 'csv',
    section: { shape, width, height, wall },
    bends: rows.map(({ order, length, rotation, angle, radius }) => ({ order, length, rotation, angle, radius })),
    lastLength,
    points: cornersOf(got.run).points,
    developed: got.developed,
    cut: got.cut,
    findings: got.findings,
  };
  const text = `${receiver.name} (${receiver.process}): ${got.name}, developed ${got.developed.toFixed(3)} mm${got.cut === null ? '' : `, cut ${got.cut.toFixed(3)} mm`}\n${got.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`;
  return { json, text, severities: got.findings.map((f) => f.severity) };
}

/** `receive`: what a stand-in machine understands from a file. */
async function run(given: Asked<typeof options>): Promise<Report> {
  const [file] = given.files;
  const bytes = await readFile(file).catch(() => {
    throw new Unusable('no-such-file', `There is no file "${file}".`, 'Check the name and the folder.');
  });
  const ending = extname(file).slice(1).toLowerCase();
  const format = ((await formatByBytes(bytes))?.toLowerCase() ?? (ending === 'stp' ? 'step' : ending)) as FileFormat;
  const made = madeOfParts(given, ending, bytes, basename(file, extname(file)));
  if (made) return made;
  const suits = given.as ? kindOf[given.as] : takesParts;
  const receiver = given.receiver ?? readyReceivers.find((r) => suits(r) && r.formats.includes(format));
  if (!receiver)
    throw new Unusable('format-refused', `No ${given.as ?? 'machine'} takes ".${ending}" files.`, 'Name another file, or another kind of machine.');
  if (flatFormats.includes(format) || receiver.cutter) {
    const got = await receiveDrawing(bytes, format, receiver);
    const { check: c } = got;
    const json = {
      receiver: receiver.name,
      as: receiver.cutter!.kind,
      format,
      version: got.version,
      unit: got.unit,
      takenAs: got.taken,
      size: [c.box[2] - c.box[0], c.box[3] - c.box[1]],
      box: { min: [c.box[0], c.box[1], 0], max: [c.box[2], c.box[3], 0] },
      layers: got.drawing.layers.map((l) => ({ name: l.name, contours: l.contours.length })),
      contours: c.contours,
      openContours: c.open,
      holes: c.holes,
      diameters: got.diameters,
      segments: c.segments,
      length: c.length,
      area: c.area,
      doubles: c.doubles.length,
      crossings: c.crossings.length,
      order: got.order.slice(0, 1000).map((s) => ({ layer: s.layer, meaning: s.meaning, length: s.length, closed: s.closed })),
      cutLength: got.cut,
      travelLength: got.travel,
      seconds: got.time,
      findings: got.findings,
    };
    const text = `${receiver.name} (${receiver.process}): ${c.contours} contours, ${json.size.map((v) => v.toFixed(3)).join(' x ')} mm, numbers taken for ${got.taken}; cut ${got.cut.toFixed(1)} mm, about ${got.time.toFixed(0)} s\n${got.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`;
    return { json, text, severities: got.findings.map((f) => f.severity) };
  }
  const got = await receiveFile(bytes, format, receiver, nodeKernels);
  const size = sizeOf(got.measures.box);
  const json = {
    receiver: receiver.name,
    as: 'printer',
    format,
    unit: got.unit,
    size,
    parts: got.parts,
    triangles: got.soundness.triangles,
    closed: got.soundness.closed,
    volume: got.measures.volume,
    area: got.measures.area,
    findings: got.findings,
  };
  const text = `${receiver.name} (${receiver.process}): ${got.parts} parts, ${size.map((v) => v.toFixed(3)).join(' x ')} mm, ${got.soundness.triangles} triangles\n${got.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`;
  return { json, text, severities: got.findings.map((f) => f.severity) };
}

export const receiveCommand = command({
  word: 'receive',
  takes: 'FILE',
  least: 1,
  most: 1,
  out: null,
  options,
  does: 'What a stand-in machine understands from the bytes of a file.',
  example: 'receive base-plate.dxf --as laser',
  run,
});
