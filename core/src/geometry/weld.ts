/** A slot of the table holds the index plus one in its low bits and a piece of the hash above them. */
const tagShift = 26;
const indexMask = (1 << tagShift) - 1;
const tagMask = ~indexMask;

function hashOf(x: number, y: number, z: number): number {
  let h = Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca77) ^ Math.imul(z, 0xc2b2ae3d);
  h ^= h >>> 15;
  h = Math.imul(h, 0x2c1b3c6d);
  return h ^ (h >>> 13);
}

/** All bits of the exponent set: infinite or not a number (IEEE 754). */
const isEndless = (bits: number): boolean => (bits & 0x7f800000) === 0x7f800000;

/**
 * Joins equal vertices while they stream in, with one open-addressing table and no allocation per vertex.
 * Equal means equal bits of the three float32 numbers (minus zero counts as zero): the STL writer of any
 * program repeats a shared vertex bit by bit, so nothing else may be joined without being asked for.
 */
export class VertexWelder {
  /** Bit patterns, 3 a vertex. */
  private bits: Uint32Array;
  private table: Int32Array;
  private mask: number;
  private full: number;
  count = 0;
  /** Whether a vertex has a coordinate that is infinite or no number. */
  unreadable = false;

  /** @param expected how many different vertices are likely; more are taken too. */
  constructor(expected: number) {
    const room = Math.max(64, expected);
    this.bits = new Uint32Array(room * 3);
    let size = 128;
    while (size < room * 2) size *= 2;
    this.table = new Int32Array(size);
    this.mask = size - 1;
    this.full = Math.floor(size * 0.6);
  }

  /** The index of the vertex whose float32 bit patterns are x, y, z. */
  add(x: number, y: number, z: number): number {
    if (x === -0x80000000) x = 0;
    if (y === -0x80000000) y = 0;
    if (z === -0x80000000) z = 0;
    const h = hashOf(x, y, z);
    const { table, mask } = this;
    const tag = h & tagMask;
    let slot = h & mask;
    const ux = x >>> 0;
    const uy = y >>> 0;
    const uz = z >>> 0;
    for (;;) {
      const held = table[slot];
      if (held === 0) break;
      // The tag spares a look at the vertex itself, which is seldom in the cache.
      if ((held ^ tag) >>> tagShift === 0) {
        const index = (held & indexMask) - 1;
        const at = index * 3;
        const bits = this.bits;
        if (bits[at] === ux && bits[at + 1] === uy && bits[at + 2] === uz) return index;
      }
      slot = (slot + 1) & mask;
    }
    if (isEndless(x) || isEndless(y) || isEndless(z)) this.unreadable = true;
    const index = this.keep(ux, uy, uz);
    table[slot] = (index + 1) | tag;
    if (this.count > this.full) this.widen();
    return index;
  }

  private keep(ux: number, uy: number, uz: number): number {
    const index = this.count++;
    if (index >= indexMask - 1) throw new RangeError('more than 67 million vertices');
    if (index * 3 + 3 > this.bits.length) {
      const more = new Uint32Array(this.bits.length * 2);
      more.set(this.bits);
      this.bits = more;
    }
    this.bits[index * 3] = ux;
    this.bits[index * 3 + 1] = uy;
    this.bits[index * 3 + 2] = uz;
    return index;
  }

  /** The different vertices as f64 positions, 3 numbers each, in order of first appearance. */
  positions(): Float64Array {
    return new Float64Array(new Float32Array(this.bits.buffer, 0, this.count * 3));
  }

  private widen(): void {
    const size = this.table.length * 2;
    const table = new Int32Array(size);
    const mask = size - 1;
    const bits = this.bits;
    for (let i = 0; i < this.count; i++) {
      const h = hashOf(bits[i * 3], bits[i * 3 + 1], bits[i * 3 + 2]);
      let slot = h & mask;
      while (table[slot] !== 0) slot = (slot + 1) & mask;
      table[slot] = (i + 1) | (h & tagMask);
    }
    this.table = table;
    this.mask = mask;
    this.full = Math.floor(size * 0.6);
  }
}

/** Joins vertices of a mesh that are equal as float32. Returns new arrays; triangles keep their order. */
export function weldEqual(positions: ArrayLike<number>, triangles: ArrayLike<number>): { positions: Float64Array; triangles: Uint32Array } {
  const vertices = positions.length / 3;
  const welder = new VertexWelder(vertices);
  const scratch = new Float32Array(3);
  const bits = new Int32Array(scratch.buffer);
  const renamed = new Uint32Array(vertices);
  const kept: number[] = [];
  for (let i = 0; i < vertices; i++) {
    scratch[0] = positions[i * 3];
    scratch[1] = positions[i * 3 + 1];
    scratch[2] = positions[i * 3 + 2];
    const before = welder.count;
    renamed[i] = welder.add(bits[0], bits[1], bits[2]);
    if (welder.count > before) kept.push(i);
  }
  const out = new Float64Array(kept.length * 3);
  for (let k = 0; k < kept.length; k++) {
    for (let j = 0; j < 3; j++) out[k * 3 + j] = positions[kept[k] * 3 + j];
  }
  const joined = new Uint32Array(triangles.length);
  for (let i = 0; i < joined.length; i++) joined[i] = renamed[triangles[i]];
  return { positions: out, triangles: joined };
}
