import { expose } from 'comlink';
import { readBrepText, type ExactSolid } from 'tall-kite/exact/brep-text';
import { curveStep, facetsWithin, makeFacets, type CurveStep, type Facets } from 'tall-kite/facets/make';
import type { FacetChoice } from 'tall-kite/facets/presets';
import { leastTriangles } from 'tall-kite/facets/survey';
import { Unusable } from 'tall-kite/findings/finding';
import { readStl } from 'tall-kite/formats/stl/read';
import { measureMesh } from 'tall-kite/geometry/mesh';
import { OpenSolid } from 'tall-kite/kernel/facets';
import type { Kernel } from 'tall-kite/kernel/kernel';
import { meshView } from 'tall-kite/view/view';

/** The kernel stays a separate, replaceable file that is fetched when the first solid needs it. */
let kernel: Promise<Kernel> | null = null;
function workingKernel(): Promise<Kernel> {
  return (kernel ??= (async () => {
    const script = new URL('./replicad_single.js', self.location.href).href;
    const { default: start } = await import(/* @vite-ignore */ script);
    return start({ locateFile: () => new URL('./replicad_single.wasm', self.location.href).href, print: () => {}, printErr: () => {} });
  })());
}

interface Held {
  open: OpenSolid;
  exact: ExactSolid;
  hint: number;
  fine: Facets | null;
}
let held: Held | null = null;

export interface Preview {
  positions: Float32Array;
  triangles: Uint32Array;
  step: CurveStep;
  kept: boolean;
  /** Where the deviation is largest, mm, and on which kind of surface. */
  at: [number, number, number];
  surface: string;
  least: number;
  milliseconds: number;
}

export interface ReceivedView {
  positions: Float32Array;
  triangles: Uint32Array;
  edges: Float32Array;
  volume: number;
}

function preview(facets: Facets, holder: Held, begun: number): Preview {
  const { measured } = facets;
  return {
    positions: new Float32Array(facets.positions),
    triangles: facets.triangles,
    step: curveStep(facets),
    kept: facets.kept,
    at: measured.at,
    surface: holder.exact.faces[measured.face]?.surface.kind ?? 'plane',
    least: leastTriangles(holder.exact, facets, facets.promised),
    milliseconds: performance.now() - begun,
  };
}

const worker = {
  /** Opens a solid from its BREP text; the one before is given back. */
  async open(brep: string): Promise<void> {
    const k = await workingKernel();
    held?.open.close();
    held = { open: new OpenSolid(k, brep), exact: readBrepText(brep), hint: 1, fine: null };
  },
  /** Facets for a choice, measured. */
  facets(choice: FacetChoice): Preview {
    if (!held) throw new Unusable('not-open', 'The solid is not open yet.', 'Wait a moment.');
    const begun = performance.now();
    const facets = makeFacets(held.open, held.exact, choice, held.hint);
    held.hint = facets.kept ? Math.min(1, facets.asked / choice.deviation) : held.hint;
    return preview(facets, held, begun);
  },
  /** The finest facets within a budget of triangles. */
  within(budget: number): Preview | null {
    if (!held) return null;
    const begun = performance.now();
    const facets = facetsWithin(held.open, held.exact, budget, 60, [0.004, 5]);
    return facets && preview(facets, held, begun);
  },
  /** One point of the curve of triangles against deviation, with the least possible. */
  curvePoint(choice: FacetChoice): { step: CurveStep; least: number } | null {
    if (!held) return null;
    const facets = makeFacets(held.open, held.exact, choice, held.hint);
    return { step: curveStep(facets), least: leastTriangles(held.exact, facets, choice.deviation) };
  },
  /** What a receiver sees in the bytes of a written file; numbers taken for mm. */
  received(bytes: ArrayBuffer): ReceivedView {
    const file = readStl(new Uint8Array(bytes));
    const [first] = file.blocks;
    const view = meshView(first.mesh);
    return { positions: view.positions, triangles: view.triangles, edges: view.edges, volume: measureMesh(first.mesh).volume };
  },
};

export type PartWorker = typeof worker;
expose(worker);
