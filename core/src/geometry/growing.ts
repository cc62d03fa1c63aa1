import { Unusable } from '../base/finding.ts';

/** No mesh of more triangles than this is opened. */
export const mostTriangles = 20_000_000;

export function tooManyTriangles(count: number): Unusable {
  return new Unusable(
    'too-many-triangles',
    `The file has ${count.toLocaleString('en')} triangles; at most ${mostTriangles.toLocaleString('en')} are opened.`,
    'Export it again with a larger deviation.',
  );
}

/** An array of numbers that grows by doubling; memory is taken only for what really came. */
export class Numbers {
  values = new Float64Array(1024);
  length = 0;
  push3(a: number, b: number, c: number): void {
    if (this.length + 3 > this.values.length) {
      const more = new Float64Array(this.values.length * 2);
      more.set(this.values);
      this.values = more;
    }
    this.values[this.length++] = a;
    this.values[this.length++] = b;
    this.values[this.length++] = c;
  }
  taken(): Float64Array {
    return this.values.slice(0, this.length);
  }
}

/** The same for vertex numbers. */
export class Indices {
  values = new Uint32Array(1024);
  length = 0;
  push3(a: number, b: number, c: number): void {
    if (this.length + 3 > this.values.length) {
      if (this.length / 3 > mostTriangles) throw tooManyTriangles(this.length / 3);
      const more = new Uint32Array(this.values.length * 2);
      more.set(this.values);
      this.values = more;
    }
    this.values[this.length++] = a;
    this.values[this.length++] = b;
    this.values[this.length++] = c;
  }
  taken(from = 0, to = this.length): Uint32Array {
    return this.values.slice(from, to);
  }
}
