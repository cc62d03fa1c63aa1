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

const newBlock = (name: string | null): OpenBlock => ({ name, welder: new VertexWelder(1024), triangles: [] });

/**
 * Reads ASCII STL line by line, each `solid` block apart. Words in any case, any white space, any line ending.
 * Source: StereoLithography interface specification, 1989.
 */
export function readAsciiStl(bytes: Uint8Array): StlFile {
  const reader = new AsciiReader();
  for (const line of linesOf(bytes)) reader.take(line);
  return reader.done();
}

class AsciiReader {
  private readonly blocks: StlBlock[] = [];
  private readonly findings: Finding[] = [];
  private readonly scratch = new Float32Array(3);
  private readonly bits = new Int32Array(this.scratch.buffer);
  /** Bits of the corners of the facet that is being read. */
  private readonly corners: number[] = [];
  private open: OpenBlock | null = null;
  private inFacet = false;
  private badFacet = false;
  private sawFacet = false;
  private sawEnd = false;
  private unreadable = 0;
  private misshapen = 0;
  private triangles = 0;

  take(line: string): void {
    switch (firstWord(line)) {
      case 'vertex':
        return this.vertex(line);
      case 'facet':
        // One that never ended is a facet all the same; corners outside of any are none.
        if (this.inFacet) this.endFacet();
        this.corners.length = 0;
        this.badFacet = false;
        this.inFacet = this.sawFacet = true;
        return;
      case 'endfacet':
        return this.endFacet();
      case 'solid':
        if (this.inFacet) this.endFacet();
        this.close();
        this.open = newBlock(nameAfter(line));
        return;
      case 'endsolid':
        if (this.inFacet) this.endFacet();
        this.sawEnd = true;
        this.close();
    }
  }

  private vertex(line: string): void {
    const numbers = line.trim().split(/\s+/);
    const { scratch, bits } = this;
    for (let k = 0; k < 3; k++) {
      scratch[k] = Number(numbers[k + 1] ?? 'x');
      if (Number.isNaN(scratch[k])) decimalComma(numbers[k + 1] ?? '');
      if (!Number.isFinite(scratch[k])) this.badFacet = true;
    }
    this.open ??= newBlock(null);
    this.corners.push(bits[0], bits[1], bits[2]);
  }

  private endFacet(): void {
    const { corners, open } = this;
    if (this.badFacet) this.unreadable++;
    else if (corners.length !== 9 || !open) this.misshapen++;
    else {
      for (let k = 0; k < 9; k += 3) open.triangles.push(open.welder.add(corners[k], corners[k + 1], corners[k + 2]));
      if (++this.triangles > mostTriangles) tooMany();
    }
    this.inFacet = this.badFacet = false;
    corners.length = 0;
  }

  private close(): void {
    const { open } = this;
    this.open = null;
    if (!open) return;
    if (open.triangles.length === 0) this.findings.push(noTriangles(open.name));
    else this.blocks.push({ name: open.name, mesh: { positions: open.welder.positions(), triangles: Uint32Array.from(open.triangles) } });
  }

  done(): StlFile {
    const { findings, blocks } = this;
    const unfinished = this.open !== null;
    if (!this.sawFacet && !this.sawEnd) {
      throw new Unusable('not-stl', 'The text begins with "solid" but has no facets in it.', 'Export an STL again from the program that made it.');
    }
    if (this.inFacet) {
      throw new Unusable(
        'cut-off',
        `The text ends in the middle of facet ${(this.triangles + 1).toLocaleString('en')}: the file is cut off.`,
        'Copy or export it again; a half of a part is never used.',
      );
    }
    this.close();
    if (unfinished) {
      findings.push({
        code: 'no-endsolid',
        severity: 'look',
        count: 1,
        message: 'The text ends without "endsolid"; it may be cut off.',
        remedy: 'Compare the number of triangles with the program that made it.',
      });
    }
    if (this.unreadable > 0) findings.push(notNumbers(this.unreadable));
    if (this.misshapen > 0) {
      findings.push({
        code: 'not-three-corners',
        severity: 'stop',
        count: this.misshapen,
        message: `${this.misshapen.toLocaleString('en')} facets do not have three corners and were left out.`,
        remedy: 'Export the part again as triangles.',
      });
    }
    if (blocks.length === 0 && !findings.some((f) => f.severity === 'stop')) findings.push(noTriangles());
    return { encoding: 'ascii', blocks, findings };
  }
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
