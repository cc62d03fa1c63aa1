import { latin } from '../../base/latin.ts';
import { noTriangles, notNumbers, type StlBlock, type StlFile } from './block.ts';
import { Unusable, type Finding } from '../../base/finding.ts';
import { VertexWelder } from '../../geometry/weld.ts';
import { decimalComma } from '../mesh-file.ts';
import { mostTriangles } from '../../geometry/growing.ts';

/** One `solid` block while it is read. */
interface OpenBlock {
  name: string | null;
  welder: VertexWelder;
  triangles: number[];
}

/**
 * Reads ASCII STL line by line, each `solid` block apart. Words in any case, any white space, any line ending.
 * Source: StereoLithography interface specification, 1989.
 */
export function readAsciiStl(bytes: Uint8Array): StlFile {
  const blocks: StlBlock[] = [];
  const findings: Finding[] = [];
  const scratch = new Float32Array(3);
  const bits = new Int32Array(scratch.buffer);
  const facet: number[] = [];
  let open: OpenBlock | null = null;
  let inFacet = false;
  let sawFacet = false;
  let sawEnd = false;
  let unreadable = 0;
  let misshapen = 0;
  let badFacet = false;
  let triangles = 0;

  const close = (block: OpenBlock) => {
    if (block.triangles.length === 0) findings.push(noTriangles(block.name));
    else blocks.push({ name: block.name, mesh: { positions: block.welder.positions(), triangles: Uint32Array.from(block.triangles) } });
  };

  for (const line of linesOf(bytes)) {
    const word = firstWord(line);
    if (word === 'vertex') {
      const numbers = line.trim().split(/\s+/);
      for (let k = 0; k < 3; k++) scratch[k] = Number(numbers[k + 1] ?? 'x');
      for (let k = 1; k <= 3; k++) if (Number.isNaN(scratch[k - 1])) decimalComma(numbers[k] ?? '');
      if (!Number.isFinite(scratch[0]) || !Number.isFinite(scratch[1]) || !Number.isFinite(scratch[2])) badFacet = true;
      open ??= { name: null, welder: new VertexWelder(1024), triangles: [] };
      facet.push(bits[0], bits[1], bits[2]);
    } else if (word === 'facet') {
      inFacet = true;
      sawFacet = true;
      badFacet = false;
      facet.length = 0;
    } else if (word === 'endfacet') {
      inFacet = false;
      if (badFacet) unreadable++;
      else if (facet.length !== 9 || !open) misshapen++;
      else {
        for (let k = 0; k < 9; k += 3) open.triangles.push(open.welder.add(facet[k], facet[k + 1], facet[k + 2]));
        if (++triangles > mostTriangles) tooMany();
      }
      facet.length = 0;
    } else if (word === 'solid') {
      if (open) close(open);
      open = { name: nameAfter(line), welder: new VertexWelder(1024), triangles: [] };
    } else if (word === 'endsolid') {
      sawEnd = true;
      if (open) close(open);
      open = null;
    }
  }
  const unfinished = inFacet || open !== null;
  if (open) close(open);
  if (!sawFacet && !sawEnd) {
    throw new Unusable('not-stl', 'The text begins with "solid" but has no facets in it.', 'Export an STL again from the program that made it.');
  }
  if (inFacet) {
    throw new Unusable(
      'cut-off',
      `The text ends in the middle of facet ${(triangles + 1).toLocaleString('en')}: the file is cut off.`,
      'Copy or export it again; a half of a part is never used.',
    );
  }
  if (unfinished) {
    findings.push({
      code: 'no-endsolid',
      severity: 'look',
      count: 1,
      message: 'The text ends without "endsolid"; it may be cut off.',
      remedy: 'Compare the number of triangles with the program that made it.',
    });
  }
  if (unreadable > 0) findings.push(notNumbers(unreadable));
  if (misshapen > 0) {
    findings.push({
      code: 'not-three-corners',
      severity: 'stop',
      count: misshapen,
      message: `${misshapen.toLocaleString('en')} facets do not have three corners and were left out.`,
      remedy: 'Export the part again as triangles.',
    });
  }
  if (blocks.length === 0 && !findings.some((f) => f.severity === 'stop')) findings.push(noTriangles());
  return { encoding: 'ascii', blocks, findings };
}

function tooMany(): never {
  throw new Unusable(
    'too-many-triangles',
    `The file has more than ${mostTriangles.toLocaleString('en')} triangles.`,
    'Export it again with a larger deviation.',
  );
}

/** Lines of Latin-1 text, decoded a block at a time so that no string is as long as the file. */
function* linesOf(bytes: Uint8Array): Generator<string> {
  const step = 1 << 20;
  let rest = '';
  for (let at = 0; at < bytes.length; at += step) {
    const lines = (rest + latin(bytes.subarray(at, at + step))).split(/\r\n|\n|\r/);
    rest = lines.pop() ?? '';
    yield* lines;
    if (rest.length > 1_000_000) {
      throw new Unusable('not-stl', 'The text has a line of more than a million characters, so it is not an STL.', 'Export it again.');
    }
  }
  if (rest.length > 0) yield rest;
}

function firstWord(line: string): string {
  const match = /^\s*([A-Za-z]+)/.exec(line);
  return match ? match[1].toLowerCase() : '';
}

function nameAfter(line: string): string | null {
  const name = line.trim().slice(5).trim();
  return name.length > 0 ? name : null;
}
