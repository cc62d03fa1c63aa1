'use client';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import type { NodeEdit } from 'tall-kite/drawing/nodes';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { JobTools } from '@/shell/useJob.ts';
import { withDrawing } from './useFlat.ts';

/** The nodes of the chosen contour, one of them picked, and the ways to change it. Each change is kept at once and undone by undo. */
export function useNodes(part: PartView, contour: number | null, tools: JobTools) {
  const [picked, setPicked] = useState<number | null>(null);
  const [dragged, setDragged] = useState<{ node: number; at: [number, number] } | null>(null);
  const query = useQuery({
    queryKey: ['flatnodes', part.id, part.view, JSON.stringify([part.recipe.size, part.recipe.drawing?.place]), contour],
    enabled: contour !== null,
    staleTime: Infinity,
    queryFn: () => withDrawing(part, (w) => w.flatNodes(part.summary, part.recipe, contour!)),
  });
  const found = contour === null ? null : (query.data ?? null);
  useEffect(() => setPicked(null), [contour]);
  useEffect(() => setDragged(null), [part.view]);
  const edit = useCallback((change: NodeEdit) => tools.operate({ kind: 'node', part: part.id, edit: change }), [tools, part.id]);
  const moveTo = useCallback(
    async (node: number, at: [number, number]) => {
      if (!found) return;
      const to = await withDrawing(part, (w) => w.flatBack(part.summary, part.recipe, at));
      await edit({ action: 'move', layer: found.layer, contour: found.contour, node, to });
    },
    [found, part, edit],
  );
  const drag = useCallback(
    (node: number, at: [number, number], done: boolean) => {
      setPicked(node);
      if (!done) return setDragged({ node, at });
      void moveTo(node, at);
    },
    [moveTo],
  );
  const picture = useMemo(() => (found ? { at: found.nodes.map((p, i) => (dragged?.node === i ? dragged.at : p)), picked } : null), [found, dragged, picked]);
  return { found, picked, setPicked, edit, moveTo, drag, picture };
}

export type NodeTools = ReturnType<typeof useNodes>;
