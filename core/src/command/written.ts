import { readFileSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { basename, dirname, extname } from 'node:path';
import { Unusable, worst, type Finding, type Severity } from '../base/finding.ts';
import { drawingUnits, lengthUnits } from '../base/readings.ts';
import { sha256 } from '../base/sha256.ts';
import type { Quads } from '../formats/obj/write.ts';
import type { ThreeMfPart } from '../formats/threemf/write.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { identityRows } from '../geometry/rows.ts';
import { nodeKernels } from '../kernel/load.ts';
import { proveTogether, writeTogether, type TogetherFile } from '../pipeline/together.ts';
import { receiveFile } from '../processes/receive.ts';
import type { Evidence } from '../prove/evidence.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { noReceiver, receiverIn, takesParts, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { checkReceiver } from '../receivers/rules.ts';
import { endingOf, type Report } from './command.ts';
import { choice, flag, parsed, type Values } from './option.ts';
import { store } from './store.ts';

const units = [...new Set([...lengthUnits, ...drawingUnits].map((u) => u.id))];

/** Which machine's rules hold; "none" assumes nothing but what the file states and the unit typed. */
export const receiverOption = {
  receiver: parsed('ID|FILE.json|none', 'The receiver that the file is for: a ready one, or one of yours from a file.', readReceiver),
};

/** A ready receiver by its id, no machine, or the rules in a file. */
function readReceiver(_: string, typed: string): Receiver {
  if (!typed.toLowerCase().endsWith('.json')) return receiverIn(readyReceivers, typed);
  let text: string;
  try {
    text = readFileSync(typed, 'utf8');
  } catch {
    throw new Unusable('no-such-file', `There is no receiver "${typed}".`, 'Check the name and the folder.');
  }
  return checkReceiver(text);
}

export const unitOption = { unit: choice(units, 'mm', 'Unit of the numbers in the file.') };

/** How a mesh is written. */
export const meshFileOptions = {
  ...unitOption,
  ...receiverOption,
  ascii: flag('STL and PLY as text.'),
  quads: flag('OBJ: regular pairs of triangles as faces with four corners.'),
};

export type MeshFileWish = Omit<Values<typeof meshFileOptions>, 'quads'> & { quads: Quads };

/** The receiver asked for; when none was typed, the first that reads the format. */
export const receiverFor = (typed: Receiver | null, format: FileFormat): Receiver =>
  typed ?? readyReceivers.find((r) => takesParts(r) && r.formats.includes(format)) ?? noReceiver;

/** "stp" is STEP too. */
export const formatOfFile = (file: string): FileFormat => {
  const ending = endingOf(file);
  return (ending === 'stp' ? 'step' : ending) as FileFormat;
};

export interface Written {
  file: string;
  format: string;
  bytes: number;
  sha256: string;
  verdict: Severity;
  evidence: Evidence['claims'];
  findings: Finding[];
}

/** Writes meshes to a file of the format that its ending says, and holds its bytes on the disk against them. */
export async function writeOut(file: string, parts: readonly ThreeMfPart[], wish: MeshFileWish): Promise<Written> {
  const as: TogetherFile = {
    format: formatOfFile(file),
    encoding: wish.ascii ? 'ascii' : 'binary',
    unit: wish.unit,
    title: basename(file, extname(file)),
    quads: wish.quads,
  };
  const receiver = receiverFor(wish.receiver, as.format);
  await mkdir(dirname(file), { recursive: true });
  const bytes = await store(file, writeTogether(parts, as, receiver));
  const evidence = proveTogether(parts, as, await receiveFile(bytes, as.format, receiver, nodeKernels));
  const { verdict, claims, findings } = evidence;
  return { file, format: as.format, bytes: bytes.length, sha256: sha256([bytes]), verdict, evidence: claims, findings };
}

/** A mesh as a part of a file, once, where it stands. */
export const partOf = (name: string, mesh: Mesh, colour: string | null = null): ThreeMfPart => ({
  name,
  partNumber: null,
  colour,
  mesh,
  places: [identityRows],
});

export function writtenText(written: readonly Written[]): string {
  return written
    .map((w) => `${w.verdict}: ${w.file} (${w.bytes} bytes)\n${w.findings.map((f) => `  ${f.severity}: ${f.message} ${f.remedy}\n`).join('')}`)
    .join('');
}

/** What every command that writes meshes says. */
export function reportOf(
  input: string,
  json: object,
  { said, written, findings = [] }: { said: readonly string[]; written: readonly Written[]; findings?: readonly Finding[] },
): Report {
  const severities: Severity[] = [...written.map((w) => w.verdict), ...findings.map((f) => f.severity)];
  return {
    json: { input, ...json, findings, written, verdict: worst(severities) },
    text: `${said.map((s) => `${s}\n`).join('')}${findings.map((f) => `${f.severity}: ${f.message} ${f.remedy}\n`).join('')}${writtenText(written)}`,
    severities,
  };
}
