'use client';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { orderedText } from 'tall-kite/base/ordered';
import { unpackDrawing, type Drawing } from 'tall-kite/curves/drawing';
import { usualSpread, type SpreadChoice } from 'tall-kite/patches/choice';
import type { Patch } from 'tall-kite/patches/patch';
import type { OperationView } from '@tall-kite/server/operations/operations';
import { bytesOf, useView } from '@/light-table/usePart.ts';
import { newest } from '@/light-table/panels/SoundnessPanel.tsx';
import type { JobTools } from '@/shell/useJob.ts';
import { facesSeen, type FacesSeen } from './faces.ts';

type Spread = Drawing & { patch: Patch };

/** A part that is spread: its faces for choosing, what was asked for, the proposal or the part that came of it. */
export function useSpread(tools: JobTools, partId: string) {
  const part = tools.job?.parts.find((p) => p.id === partId) ?? null;
  const operation = newest(tools.job?.operations ?? [], partId, ['spread']);
  const made = part?.strands.find((s) => s.way === 'spread')?.made ?? null;
  const { view, failed } = useView(partId, part?.view ?? '');
  const wish = useWish(operation?.request.kind === 'spread' ? operation.request.choice : null);
  const { choice } = wish;
  const { crease } = choice;
  const faces: FacesSeen | null = useMemo(() => (view ? facesSeen(view, crease) : null), [view, crease]);
  const shown = useShown(tools, operation, made?.id ?? null);
  return { part, operation, made, faces, failed, ...shown, ...wish, go: () => tools.operate({ kind: 'spread', part: partId, choice }) };
}

/** The flat to be shown: that of the proposal, else of the part that was kept. */
function useShown(tools: JobTools, operation: OperationView | null, made: string | null) {
  const proposed = operation?.state === 'ready' ? operation.id : null;
  const from = proposed ? `/api/operations/${proposed}/shape?what=view&n=0` : made ? `/api/parts/${made}/geometry?what=geometry` : null;
  const shown = useQuery({
    queryKey: ['spread', from, tools.job?.parts.find((p) => p.id === made)?.version],
    enabled: from !== null,
    staleTime: Infinity,
    queryFn: async () => {
      const drawing = unpackDrawing(new Uint8Array(await bytesOf(from!)));
      return drawing.patch ? (drawing as Spread) : null;
    },
  });
  return { spread: shown.data ?? null, fetching: from !== null && shown.isPending };
}

/** What was asked for last, with what a person changed since. */
function useWish(asked: SpreadChoice | null) {
  const [changes, setChanges] = useState<Partial<SpreadChoice>>({});
  const choice: SpreadChoice = useMemo(() => ({ ...usualSpread, ...asked, ...changes }), [asked, changes]);
  return {
    choice,
    /** What is shown was made for other choices. */
    changed: asked !== null && orderedText(asked) !== orderedText(choice),
    set: (some: Partial<SpreadChoice>) => setChanges((now) => ({ ...now, ...some })),
  };
}

export type SpreadTools = ReturnType<typeof useSpread>;
