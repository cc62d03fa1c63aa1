/** What the directory may say of an entity besides its type. */
interface Said {
  form?: number;
  matrix?: number;
  colour?: number;
  label?: string;
  /** Status number: blank, subordinate, use, hierarchy; two digits each. */
  status?: string;
}

/** A whole number stays one; a length gets its point. */
const real = (v: number) => (Number.isInteger(v) ? `${v}.` : String(v).replace('e', 'D'));

type Point = readonly [number, number, number];

/** An IGES file by hand. Source: IGES 5.3, 2.2 (fixed length records of 80 columns). */
export class IgesText {
  private readonly directory: string[] = [];
  private readonly parameters: string[] = [];

  /** Takes an entity; gives the number of its directory entry. Lengths as text by `real`, pointers and counts as numbers, strings as they are. */
  add(type: number, fields: readonly (number | string)[], { form = 0, matrix = 0, colour = 0, label = '', status = '00000000' }: Said = {}): number {
    const id = this.directory.length + 1;
    const first = this.parameters.length + 1;
    let line = '';
    const words = [type, ...fields].map((f, i, all) => `${f}${i === all.length - 1 ? ';' : ','}`);
    const put = () => this.parameters.push(line.padEnd(64) + String(id).padStart(8));
    for (const word of words) {
      if (line.length + word.length > 64) {
        put();
        line = '';
      }
      line += word;
    }
    put();
    const count = this.parameters.length - first + 1;
    const field = (v: number | string) => String(v).padStart(8);
    this.directory.push(
      [type, first, 0, 0, 0, 0, matrix, 0].map(field).join('') + status,
      [type, 0, colour, count, form, '', '', label, ''].map(field).join(''),
    );
    return id;
  }

  /** @param flag of the unit: 1 inch, 2 mm, 3 by its name, 6 m; @param resolution finest length that is meant */
  bytes({ flag = 2, name, resolution = 1e-6, scale = 1 }: { flag?: number; name?: string; resolution?: number; scale?: number } = {}): Buffer {
    const said = name ?? (flag === 1 ? 'IN' : flag === 6 ? 'M' : 'MM');
    const unit = `${said.length}H${said}`;
    const global = `1H,,1H;,4Hmade,8Hmade.igs,4Hhand,1H1,32,38,7,308,15,4Hmade,${real(scale)},${flag},${unit},1,0.1,15H20260101.000000,${resolution},1000.,4Hkite,4Hkite,11,0;`;
    const globals = global.match(/.{1,72}/g)!;
    const numbered = (lines: readonly string[], letter: string, width: number) =>
      lines.map((l, i) => `${l.padEnd(width)}${letter}${String(i + 1).padStart(7)}`);
    return Buffer.from(
      [
        ...numbered(['by hand'], 'S', 72),
        ...numbered(globals, 'G', 72),
        ...numbered(this.directory, 'D', 72),
        ...numbered(this.parameters, 'P', 72),
        ...numbered([`S${'1'.padStart(7)}G${String(globals.length).padStart(7)}D${String(this.directory.length).padStart(7)}P${String(this.parameters.length).padStart(7)}`], 'T', 72), // prettier-ignore
      ].join('\n') + '\n',
      'latin1',
    );
  }

  line(a: Point, b: Point): number {
    return this.add(
      110,
      [...a, ...b].map((v) => real(v)),
      { status: '00010000' },
    );
  }
  /** Counter-clockwise about z. */
  arc(z: number, centre: readonly [number, number], from: readonly [number, number], to: readonly [number, number], said: Said = {}): number {
    return this.add(100, [z, ...centre, ...from, ...to].map(real), { status: '00010000', ...said });
  }
  chain(ids: readonly number[]): number {
    return this.add(102, [ids.length, ...ids], { status: '00010000' });
  }
  /** ax + by + cz = d. */
  plane(normal: Point, d: number, said: Said = {}): number {
    return this.add(108, [...normal.map(real), real(d), 0, '0.', '0.', '0.', '0.'], { status: '00010000', ...said });
  }
  onSurface(surface: number, curve: number): number {
    return this.add(142, [0, surface, 0, curve, 2], { status: '00010500' });
  }
  trimmed(surface: number, outer: number, inner: readonly number[] = [], said: Said = {}): number {
    const bounds = [outer, ...inner].map((c) => this.onSurface(surface, c));
    return this.add(144, [surface, 1, inner.length, ...bounds], said);
  }
  matrix(rows: readonly number[]): number {
    return this.add(124, rows.map(real), { status: '00010000' });
  }
  name(text: string): number {
    return this.add(406, [1, `${text.length}H${text}`], { form: 15, status: '00010000' });
  }

  /** A flat face with corners in any order round it. */
  polygon(corners: readonly Point[], said: Said = {}): number {
    const [a, b, c] = corners;
    const n = cross(minus(b, a), minus(c, a));
    return this.trimmed(this.plane(n, n[0] * a[0] + n[1] * a[1] + n[2] * a[2]), this.ring(corners), [], said);
  }
  /** Lines from corner to corner. */
  ring(corners: readonly Point[]): number {
    return this.chain(corners.map((p, i) => this.line(p, corners[(i + 1) % corners.length])));
  }
  /** Six faces of a block, each drawn back from its edges by so much; `but` leaves one out, `said` is said of each. */
  block([x, y, z]: Point, [w, d, h]: Point, { back = 0, but = -1, said = {} }: { back?: number; but?: number; said?: Said } = {}): number[] {
    const faces: number[] = [];
    for (let k = 0; k < 6; k++) {
      if (k === but) continue;
      const axis = k >> 1;
      const size = [w, d, h];
      const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
      const corner = (su: number, sv: number): Point => {
        const p = [x, y, z];
        p[axis] += k % 2 === 0 ? 0 : size[axis];
        p[u] += su === 0 ? back : size[u] - back;
        p[v] += sv === 0 ? back : size[v] - back;
        return p as unknown as Point;
      };
      faces.push(this.polygon([corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)], said));
    }
    return faces;
  }

  /** A block as one solid of shared edges and vertices (186 to 514); numbers of colours of its faces. */
  solidBlock([x, y, z]: Point, [w, d, h]: Point, said: Said = {}, properties: readonly number[] = [], faceColours: readonly number[] = []): number {
    const corners = Array.from({ length: 8 }, (_, i): Point => [x + (i & 1 ? w : 0), y + (i & 2 ? d : 0), z + (i & 4 ? h : 0)]);
    const vertices = this.add(502, [8, ...corners.flat().map(real)], { form: 1, status: '00010000' });
    const pairs = [[0, 1], [1, 3], [3, 2], [2, 0], [4, 5], [5, 7], [7, 6], [6, 4], [0, 4], [1, 5], [3, 7], [2, 6]]; // prettier-ignore
    const edges = this.add(504, [12, ...pairs.flatMap(([a, b]) => [this.line(corners[a], corners[b]), vertices, a + 1, vertices, b + 1])], { form: 1, status: '00010000' }); // prettier-ignore
    // Counter-clockwise from outside: corners of each side.
    const sides = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]; // prettier-ignore
    const faces = sides.map((side, k) => {
      const uses = side.flatMap((a, i) => {
        const b = side[(i + 1) % 4];
        const e = pairs.findIndex(([p, q]) => (p === a && q === b) || (p === b && q === a));
        return [0, edges, e + 1, pairs[e][0] === a ? 1 : 0, 0];
      });
      const loop = this.add(508, [4, ...uses], { form: 1, status: '00010000' });
      const n = cross(minus(corners[side[1]], corners[side[0]]), minus(corners[side[2]], corners[side[0]]));
      const at = this.add(116, [...corners[side[0]].map(real), 0], { status: '00010000' });
      const surface = this.add(190, [at, this.add(123, n.map(real), { status: '00010000' })], { status: '00010000' });
      return this.add(510, [surface, 1, 1, loop], { form: 1, status: '00010000', colour: faceColours[k] ?? 0 });
    });
    const shell = this.add(514, [6, ...faces.flatMap((f) => [f, 1])], { form: 1, status: '00010000' });
    return this.add(186, [shell, 1, 0, ...(properties.length > 0 ? [0, properties.length, ...properties] : [])], said);
  }
}

export { real };

const minus = (a: Point, b: Point): Point => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const cross = (a: Point, b: Point): Point => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
