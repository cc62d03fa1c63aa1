import type { Finding } from 'tall-kite/base/finding';
import { diagonalOf } from 'tall-kite/geometry/box';
import type { Mesh } from 'tall-kite/geometry/mesh';
import { together } from 'tall-kite/geometry/shells';
import { nodeKernels, workingKernel } from 'tall-kite/kernel/load';
import { usualChoices, type ReadChoices } from 'tall-kite/model/choices';
import type { Design, Geometry } from 'tall-kite/model/design';
import { readDesign } from 'tall-kite/pipeline/read';
import { thumbnail, thumbnailOfDrawing } from 'tall-kite/pipeline/thumbnail';
import { placedMesh } from 'tall-kite/processes/receive';
import { unpackView, viewOf } from 'tall-kite/view/view';
import type { Blobs } from '../storage/blobs.ts';

export interface ShelveRequest {
  sha256: string;
  fileName: string;
  bytes: number;
  choices: ReadChoices | null;
}

/** What the stores say of a design without opening it. Lengths as the file's numbers were read. */
export interface KeptFigures {
  format: string;
  unit: string | null;
  kind: 'solid' | 'mesh' | 'drawing';
  parts: number;
  size: [number, number, number];
  /** null for drawings */
  volume: number | null;
  triangles: number | null;
  openEdges: number | null;
  /** What wants a person's eye: how many, and the first. */
  odd: { count: number; first: string | null; worst: Finding['severity'] };
}

export interface ShelveResult {
  figures: KeptFigures;
  /** SHA-256 of the picture. */
  picture: string;
}

/** So many parts of a design are drawn; more would not be seen in a small picture. */
const mostDrawn = 60;
/** So many copies of one part. */
const mostCopies = 40;

/** Reads a design for the stores: its figures and a small picture. Nothing else is kept of it but its own bytes. */
export async function shelve(
  blobs: Blobs,
  { sha256, fileName, choices }: ShelveRequest,
  progress: (share: number, what: string) => void,
): Promise<ShelveResult> {
  const design = await readDesign(await blobs.read(sha256), fileName, { ...nodeKernels, progress }, choices ?? usualChoices);
  const picture = await blobs.put([await pictureOf(design)]);
  return { figures: figuresOf(design), picture: picture.sha256 };
}

async function pictureOf(design: Design): Promise<Uint8Array> {
  const [first] = design.parts;
  if (first.geometry.kind === 'drawing') return thumbnailOfDrawing(first.geometry.drawing);
  const meshes: Mesh[] = [];
  for (const part of design.parts.slice(0, mostDrawn)) {
    if (part.geometry.kind === 'drawing') continue;
    const mesh = part.geometry.kind === 'mesh' ? part.geometry.mesh : await seenOf(part.geometry);
    const places = part.summary.places ?? [];
    if (places.length === 0) meshes.push(mesh);
    else for (const place of places.slice(0, mostCopies)) meshes.push(placedMesh(mesh, place));
  }
  return thumbnail(meshes.length === 1 ? meshes[0] : together(meshes));
}

/** A solid as the pages see it. */
async function seenOf(geometry: Geometry): Promise<Mesh> {
  const { positions, triangles } = unpackView((await viewOf(geometry, workingKernel)).slice().buffer);
  return { positions: Float64Array.from(positions), triangles };
}

function figuresOf(design: Design): KeptFigures {
  const [first] = design.parts;
  const { kind } = first.summary;
  // Of several parts the largest says how large they are.
  const { box } = design.parts.reduce((a, b) => (diagonalOf(b.summary.box) > diagonalOf(a.summary.box) ? b : a)).summary;
  const sum = (of: (s: Design['parts'][number]['summary']) => number | null) => design.parts.reduce((n, p) => n + (of(p.summary) ?? 0) * p.summary.quantity, 0);
  const odd = [...design.findings, ...design.parts.flatMap((p) => p.findings)].filter((f) => f.severity !== 'clear');
  return {
    format: design.format,
    unit: design.unit,
    kind,
    parts: design.parts.length,
    size: [0, 1, 2].map((k) => box.max[k] - box.min[k]) as [number, number, number],
    volume: kind === 'drawing' ? null : sum((s) => s.volume),
    triangles: kind === 'mesh' ? sum((s) => s.triangles) : null,
    openEdges: kind === 'mesh' ? sum((s) => s.openEdges) : null,
    odd: { count: odd.length, first: odd[0]?.message ?? null, worst: odd.some((f) => f.severity === 'stop') ? 'stop' : odd.length > 0 ? 'look' : 'clear' },
  };
}
