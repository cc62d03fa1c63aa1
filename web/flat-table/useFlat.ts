'use client';
import { useQuery } from '@tanstack/react-query';
import { transfer } from 'comlink';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { bytesOf } from '@/light-table/usePart.ts';
import { partWorker } from '@/light-table/worker.ts';
import type { FlatFound, FlatReceived, FlatView } from '@/workers/flat.ts';

/** The worker holds one drawing at a time; work on it waits for its turn here, so that no answer is about another part. */
let turn: Promise<unknown> = Promise.resolve();
let open: string | null = null;

async function opened<T>(part: PartView, work: (worker: ReturnType<typeof partWorker>) => Promise<T>): Promise<T> {
  const mine = turn.then(async () => {
    const worker = partWorker();
    if (open !== part.view) {
      const bytes = await bytesOf(`/api/parts/${part.id}/geometry?what=geometry`);
      await worker.flatOpen(transfer(bytes, [bytes]));
      open = part.view;
    }
    return work(worker);
  });
  turn = mine.catch(() => {});
  return mine;
}

export { opened as withDrawing };

const settings = (part: PartView) => JSON.stringify([part.recipe.size, part.recipe.drawing, part.recipe.receiver, part.recipe.file.format]);

/** The drawing as its recipe makes it, and what went wrong making it. */
export function useFlatView(part: PartView): { view: FlatView | null; failure: string | null } {
  const query = useQuery({
    queryKey: ['flat', part.id, part.view, settings(part)],
    staleTime: Infinity,
    placeholderData: (old: FlatView | undefined) => old,
    queryFn: () => opened(part, (w) => w.flatView(part.summary, part.recipe)),
    retry: false,
  });
  return { view: query.data ?? null, failure: query.isError ? (query.error as Error).message : null };
}

/** What is wrong with the drawing and where. */
export function useFlatCheck(part: PartView, wanted: boolean): FlatFound | null {
  const query = useQuery({
    queryKey: ['flatcheck', part.id, part.view, settings(part)],
    enabled: wanted,
    staleTime: Infinity,
    queryFn: () => opened(part, (w) => w.flatCheck(part.summary, part.recipe)),
  });
  return query.data ?? null;
}

/** What the machine sees in the last written file, decoded from its very bytes. */
export function useFlatReceived(part: PartView): FlatReceived | null {
  const file = part.file?.state === 'written' ? part.file : null;
  const query = useQuery({
    queryKey: ['flatreceived', file?.id],
    enabled: file !== null,
    staleTime: Infinity,
    queryFn: async () => {
      const bytes = await bytesOf(`/api/files/${file!.id}`);
      return partWorker().flatReceived(transfer(bytes, [bytes]), file!.recipe.file.format, file!.recipe.receiver);
    },
  });
  return file ? (query.data ?? null) : null;
}

/** The picture that a drawing was made of, to be drawn beneath it; null while it is on its way, and for other drawings. */
export function usePicture(part: PartView): ImageBitmap | null {
  const query = useQuery({
    queryKey: ['picture', part.designId],
    enabled: part.summary.traced !== undefined,
    staleTime: Infinity,
    queryFn: async () => createImageBitmap(new Blob([await bytesOf(`/api/parts/${part.id}/picture`)], { type: 'image/png' })),
  });
  return part.summary.traced ? (query.data ?? null) : null;
}

/** A packed drawing as lines over a part's own; one of the same picture where the picture is shown. */
export const linesOver = (part: PartView, bytes: ArrayBuffer) =>
  opened(part, (w) => w.flatLines(transfer(bytes, [bytes]), { summary: part.summary, recipe: part.recipe }));

/** A drawing that an operation would make, as lines. */
export function useFlatProposal(operation: OperationView | null, part: PartView | null) {
  const ready = operation?.state === 'ready' && operation.made[0]?.kind === 'drawing' ? operation : null;
  const query = useQuery({
    queryKey: ['flatproposal', ready?.id],
    enabled: ready !== null,
    staleTime: Infinity,
    queryFn: async () => {
      const bytes = await bytesOf(`/api/operations/${ready!.id}/shape?what=view&n=0`);
      if (!part) return partWorker().flatLines(transfer(bytes, [bytes]), null);
      return linesOver(part, bytes);
    },
  });
  return ready ? (query.data ?? null) : null;
}
