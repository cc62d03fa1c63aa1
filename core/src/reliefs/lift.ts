import { wasm } from './lift.wasm.ts';

/** A quarter of a bit that is the same on all four sides. */
export interface Quarter {
  /** Columns and rows that it reaches to either side. */
  across: number;
  down: number;
  /** Columns and rows away, both 0 and up, and how far the bit's underside stands over its tip there, mm. */
  places: readonly (readonly [across: number, down: number, rise: number])[];
}

/** What the kernel offers; all addresses and lengths in bytes. */
interface Kernel {
  memory: WebAssembly.Memory;
  higher(a: number, b: number, into: number, bytes: number): void;
  lift(places: number, last: number, into: number, bytes: number): void;
}

/** Numbers that the kernel holds at a time, and bytes of a page of its memory. */
const tile = 12;
const page = 65_536;
/** Bytes of heights that are given to the kernel at a time, unless one row and what the bit reaches are more. */
const band = 32 * 2 ** 20;

let compiled: WebAssembly.Module | undefined;

/** A kernel of so many bytes; let go with what refers to it. */
function kernelOf(bytes: number): Kernel {
  compiled ??= new WebAssembly.Module(Uint8Array.from(atob(wasm), (letter) => letter.charCodeAt(0)));
  const kernel = new WebAssembly.Instance(compiled).exports as unknown as Kernel;
  kernel.memory.grow(Math.ceil(bytes / page));
  return kernel;
}

/**
 * The greatest of what stands round each place of a field, less a bit's rise over there: every place of the bit is gone through. Numbers that are none and what
 * lies beyond the field never count; -Infinity where nothing counts. Rows as far above as below are made one first, then places as far left as right.
 * @param values heights row by row, mm
 * @throws RangeError when there is no memory for one row and what the bit reaches above and below it
 * @example lifted(values, 3, 1, { across: 1, down: 0, places: [[0, 0, 0], [1, 0, 0.5]] })
 */
export function lifted(values: Float64Array, columns: number, rows: number, { across, down, places }: Quarter): Float64Array {
  // A row of the band, a line of two rows made one with room beside it, and where the parts begin; all multiples of 16 bytes.
  const stride = 8 * tile * Math.ceil(columns / tile);
  const beside = 16 * Math.ceil(across / 2);
  const line = stride + 2 * beside;
  const [lines, list] = [16, 16 + line * (down + 1)];
  const into = list + 16 * places.length;
  const field = into + stride;
  const most = Math.min(rows, Math.max(1, Math.floor(band / stride) - 2 * down));
  const kernel = kernelOf(field + stride * (most + 2 * down));
  const numbers = new Float64Array(kernel.memory.buffer);
  const view = new DataView(kernel.memory.buffer);
  numbers.fill(-Infinity, lines / 8, list / 8);
  for (let k = 0; k < places.length; k++) {
    const [i, j, rise] = places[k];
    const middle = lines + j * line + beside;
    view.setUint32(list + 16 * k, middle - 8 * i, true);
    view.setUint32(list + 16 * k + 4, middle + 8 * i, true);
    view.setFloat64(list + 16 * k + 8, rise, true);
  }
  const out = new Float64Array(columns * rows);
  for (let first = 0; first < rows; first += most) {
    const count = Math.min(most, rows - first);
    bring({ values, columns, rows }, [first - down, count + 2 * down], numbers.subarray(field / 8), stride / 8);
    for (let r = 0; r < count; r++) {
      const at = field + (r + down) * stride;
      for (let j = 0; j <= down; j++) kernel.higher(at - j * stride, at + j * stride, lines + j * line + beside, stride);
      kernel.lift(list, list + 16 * places.length, into, stride);
      out.set(numbers.subarray(into / 8, into / 8 + columns), (first + r) * columns);
    }
  }
  return out;
}

/** Rows of a field, also such that it does not have; -Infinity for what is no number and for what the field does not have. */
function bring(field: { values: Float64Array; columns: number; rows: number }, [first, count]: [number, number], into: Float64Array, stride: number): void {
  const { values, columns, rows } = field;
  for (let r = 0; r < count; r++) {
    const [to, from] = [r * stride, (first + r) * columns];
    into.fill(-Infinity, to, to + stride);
    if (first + r < 0 || first + r >= rows) continue;
    for (let c = 0; c < columns; c++) {
      const v = values[from + c];
      if (v === v) into[to + c] = v;
    }
  }
}
