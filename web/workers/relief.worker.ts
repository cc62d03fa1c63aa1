import { expose, transfer } from 'comlink';
import { Unusable, type Finding } from 'tall-kite/base/finding';
import { boxOf, sizeOf } from 'tall-kite/geometry/box';
import type { Mesh } from 'tall-kite/geometry/mesh';
import type { ReliefOrigin } from 'tall-kite/reliefs/origin';
import { blockOf } from 'tall-kite/reliefs/block';
import type { StockChoice } from 'tall-kite/reliefs/choice';
import { reliefOnStock, type MadeBlock } from 'tall-kite/reliefs/part';
import { counts } from 'tall-kite/reliefs/plan';
import { shaded } from 'tall-kite/view/shade';
import { unpackView } from 'tall-kite/view/view';

/** Heights along the longer side while a person still chooses. */
const previewHeights = 260;

export type Shown = 'relief' | 'carved';

/** What a choice would make, as it is shown. */
export type Previewed =
  | { figures: ReliefOrigin; findings: Finding[]; cell: number; undercut: number; carved: boolean; failed?: undefined }
  | { failed: { message: string; remedy: string } };

export interface Seen {
  width: number;
  height: number;
  turn: number;
  above: number;
  shows: Shown;
  ink: [number, number, number];
  second: [number, number, number];
}

const opened = new Map<string, Mesh>();
let made: { block: MadeBlock; relief: Mesh; carved: Mesh | null } | null = null;
const shares = new Map<Shown, Float32Array | null>();

/** Reliefs on a stock while they are chosen: coarser than what is kept, so that it follows the hand. */
const worker = {
  /** A part to be set: what is drawn of it, and how many mm one of its numbers is. @returns its size as modelled, mm */
  open(key: string, view: ArrayBuffer, scale: number): [number, number, number] {
    const { positions, triangles } = unpackView(view);
    const mesh = { positions: Float64Array.from(positions, (v) => v * scale), triangles };
    opened.set(key, mesh);
    return sizeOf(boxOf(mesh.positions));
  },
  preview(parts: { key: string; name: string }[], choice: StockChoice): Previewed {
    made = null;
    shares.clear();
    try {
      const longer = Math.max(choice.stock[0], choice.stock[1]);
      const cell = Math.max(choice.cell ?? 0, longer / previewHeights);
      const named = parts.map(({ key, name }) => ({ name, mesh: opened.get(key)! }));
      const block = reliefOnStock(named, { ...choice, cell });
      const carved = block.plan && blockOf({ ...block.composed, field: { ...block.composed.field, heights: block.plan.after } });
      made = { block, relief: block.mesh, carved };
      const undercut = block.composed.reliefs.reduce((sum, r) => sum + r.undercut, 0);
      return { figures: block.origin, findings: block.findings, cell, undercut, carved: carved !== null };
    } catch (thrown) {
      if (thrown instanceof Unusable) return { failed: { message: thrown.message, remedy: thrown.remedy } };
      return { failed: { message: 'The relief could not be set so.', remedy: 'Check sizes and base, and try again.' } };
    }
  },
  /** A shaded picture, four numbers a pixel; null while nothing was made. Where overhangs were filled, or where the bit leaves too much, has the second ink. */
  picture({ width, height, turn, above, shows, ink, second }: Seen): Uint8ClampedArray | null {
    if (!made) return null;
    const mesh = shows === 'carved' && made.carved ? made.carved : made.relief;
    if (!shares.has(shows)) shares.set(shows, sharesOf(mesh, made.block, shows));
    const share = shares.get(shows);
    const data = shaded(mesh, { width, height, turn, above, ink, second: share ? { ink: second, share } : null });
    return transfer(data, [data.buffer]);
  },
};

/** How much of the second ink each triangle takes, by the height nearest to its middle; null when none does. */
function sharesOf(mesh: Mesh, { composed, plan }: MadeBlock, shows: Shown): Float32Array | null {
  const { field, undercut, choice } = composed;
  const { positions: p, triangles: t } = mesh;
  const out = new Float32Array(t.length / 3);
  // What is shown of the carved block stands on the stock's middle; the relief by its datum.
  const shift = shows === 'carved' ? [0, 0] : [choice.datum === 'corner' ? choice.stock[0] / 2 : 0, choice.datum === 'corner' ? choice.stock[1] / 2 : 0];
  let any = false;
  for (let i = 0; i < t.length; i += 3) {
    const [a, b, c] = [t[i] * 3, t[i + 1] * 3, t[i + 2] * 3];
    const up = (p[b] - p[a]) * (p[c + 1] - p[a + 1]) - (p[b + 1] - p[a + 1]) * (p[c] - p[a]);
    if (!(up > 0)) continue;
    const column = Math.round(((p[a] + p[b] + p[c]) / 3 - shift[0] - field.at[0]) / field.step[0]);
    const row = Math.round(((p[a + 1] + p[b + 1] + p[c + 1]) / 3 - shift[1] - field.at[1]) / field.step[1]);
    if (column < 0 || row < 0 || column >= field.columns || row >= field.rows) continue;
    const k = row * field.columns + column;
    const share = shows === 'carved' && plan ? Math.min(1, (plan.after[k] - field.heights[k]) / counts) : undercut[k];
    if (share > 0.5) any = true;
    out[i / 3] = share > 0 ? share * share : 0;
  }
  return any ? out : null;
}

export type ReliefWorker = typeof worker;
expose(worker);
