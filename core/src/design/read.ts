import { readBrepText } from '../exact/brep-text.ts';
import { surveySolid } from '../facets/survey.ts';
import { Unusable, type Finding } from '../findings/finding.ts';
import { readStepHeader } from '../formats/step/header.ts';
import { latin, readStl, type StlBlock, type StlFile } from '../formats/stl/read.ts';
import { sizeOf } from '../geometry/box.ts';
import { measureMesh } from '../geometry/mesh.ts';
import type { Kernel } from '../kernel/kernel.ts';
import { openStep, type SolidPart } from '../kernel/open-step.ts';
import { receivers } from '../receivers/receivers.ts';
import { readings } from '../size/readings.ts';
import { checkMesh } from '../soundness/check-mesh.ts';
import { soundnessFindings } from '../soundness/findings.ts';
import type { Design, DesignPart } from './design.ts';

/** Largest file that is opened, bytes (said before an upload starts). */
export const mostBytes = 512 * 1024 * 1024;

/**
 * Reads a design from the bytes of a file. What kind it is comes from the bytes; an ending that says otherwise is a finding.
 * @param fileName only for its ending and for naming a part that has no name; never used as a path.
 * @param kernel gives the opening kernel when it is needed (STEP only).
 * @throws Unusable when nothing can be read.
 */
export async function readDesign(bytes: Uint8Array, fileName: string, kernel: () => Promise<Kernel>): Promise<Design> {
  if (bytes.length === 0) {
    throw new Unusable('empty-file', 'The file is empty (0 bytes).', 'Export it again and check that the disk was not full.');
  }
  if (bytes.length > mostBytes) {
    throw new Unusable(
      'too-large',
      `The file has ${(bytes.length / 1e6).toFixed(0)} MB; at most ${mostBytes / 2 ** 20} MB are opened.`,
      'Export fewer parts at a time, or with a larger deviation.',
    );
  }
  const ending = /\.([A-Za-z0-9]+)$/.exec(fileName)?.[1].toLowerCase() ?? '';
  const isStep = /^\s*ISO-10303-21\s*;/.test(latin(bytes.subarray(0, 256)));
  const saysStep = ending === 'step' || ending === 'stp' || ending === 'p21';
  if (isStep || saysStep) {
    const design = await readStepDesign(bytes, fileName, kernel);
    if (!saysStep) design.findings.unshift(otherEnding(ending, 'STEP'));
    return design;
  }
  if (ending !== 'stl') {
    throw new Unusable(
      'unknown-format',
      `Files ending in ".${ending || '(nothing)'}" are not read here, and these bytes are not STEP.`,
      'Bring in STEP (.step, .stp) or STL (.stl); export one of them from the program that made the file.',
    );
  }
  return stlDesign(readStl(bytes), fileName);
}

function otherEnding(ending: string, really: string): Finding {
  return {
    code: 'other-ending',
    severity: 'look',
    count: 1,
    message: `The file ends in ".${ending}" but holds ${really}; it was read as ${really}.`,
    remedy: 'Nothing to do here; give the file its right ending so that other software opens it too.',
  };
}

/** Names that a translator gives when the program that called it gave none; they tell nobody what the part is. */
const nobodysName = /\bSTEP translator\b/i;

async function readStepDesign(bytes: Uint8Array, fileName: string, kernel: () => Promise<Kernel>): Promise<Design> {
  const header = readStepHeader(latin(bytes));
  const opened = openStep(await kernel(), bytes);
  const base = fileName.replace(/\.[^.]*$/, '') || 'Part';
  const nameless = opened.parts.filter((part) => nobodysName.test(part.name));
  nameless.forEach((part, i) => {
    part.name = nameless.length > 1 ? `${base} ${i + 1}` : base;
  });
  for (const part of opened.parts) part.path = [...part.path.slice(0, -1).filter((name) => !nobodysName.test(name)), part.name];
  return {
    format: 'STEP',
    version: header.protocol,
    unit: header.unit,
    tree: opened.tree,
    parts: opened.parts.map((part) => solidPart(part, header.unit)),
    findings: [...header.findings, ...opened.findings],
  };
}

function solidPart(part: SolidPart, unit: string | null): DesignPart {
  const findings: Finding[] = [];
  if (part.volume <= 0) {
    findings.push({
      code: 'inside-out',
      severity: 'stop',
      count: 1,
      message: `The solid "${part.name}" is inside out (its volume is ${part.volume.toPrecision(4)} mm³).`,
      remedy: 'Heal it in the program that made it, and export again.',
    });
  }
  const { name, path, quantity, colour, box, volume, area, centre, faces, shells } = part;
  return {
    geometry: { kind: 'solid', brep: part.brep },
    findings,
    summary: {
      name,
      path,
      kind: 'solid',
      quantity,
      colour,
      box,
      volume,
      area,
      centre,
      faces,
      shells,
      triangles: null,
      openEdges: null,
      nonManifoldEdges: null,
      flippedEdges: null,
      degenerateTriangles: null,
      survey: surveySolid(readBrepText(part.brep)),
      unit,
      format: 'STEP',
    },
  };
}

function stlDesign(file: StlFile, fileName: string): Design {
  const base = fileName.replace(/\.[^.]*$/, '') || 'Part';
  const parts = file.blocks
    .filter((block) => block.mesh.triangles.length > 0)
    .map((block, i, all) => meshPart(block, all.length > 1 ? `${base} ${i + 1}` : base, all.length > 1));
  return {
    format: 'STL',
    version: file.encoding,
    unit: null,
    tree: parts.map((part, i) => ({ name: part.summary.name, colour: null, parts: [i], children: [] })),
    parts,
    findings: [...file.findings, ...parts.slice(0, 1).map(unitFinding)],
  };
}

function meshPart(block: StlBlock, fallback: string, several: boolean): DesignPart {
  const measures = measureMesh(block.mesh);
  const sound = checkMesh(block.mesh, 0);
  const name = several && block.name ? block.name : fallback;
  return {
    geometry: { kind: 'mesh', mesh: block.mesh },
    findings: soundnessFindings(sound, measures.volume),
    summary: {
      name,
      path: [name],
      kind: 'mesh',
      quantity: 1,
      colour: null,
      box: measures.box,
      volume: measures.volume,
      area: measures.area,
      centre: measures.centre,
      faces: null,
      triangles: sound.triangles,
      shells: sound.shells,
      openEdges: sound.openEdges,
      nonManifoldEdges: sound.nonManifoldEdges,
      flippedEdges: sound.flippedEdges,
      degenerateTriangles: sound.degenerateTriangles,
      survey: null,
      unit: null,
      format: 'STL',
    },
  };
}

/** STL has no unit: whether its numbers make a believable size as millimetres. */
function unitFinding(part: DesignPart): Finding {
  const size = sizeOf(part.summary.box);
  const asMm = readings(size, receivers[0].bed)[0];
  const shown = size.map((s) => Number(s.toPrecision(4))).join(' × ');
  if (asMm.likely === 2) {
    return { code: 'no-unit', severity: 'clear', count: 1, message: `STL has no unit; read as millimetres it is ${shown} mm.`, remedy: 'Check the size once.' };
  }
  return {
    code: 'no-unit',
    severity: 'look',
    count: 1,
    message: `STL has no unit; read as millimetres it is ${shown} mm, which is unlikely.`,
    remedy: 'Choose the unit on the Size step, or give one known length.',
  };
}
