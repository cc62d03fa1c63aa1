'use client';
import { useQuery } from '@tanstack/react-query';
import { transfer } from 'comlink';
import { scaleOf } from 'tall-kite/recipe/recipe';
import type { Differences } from 'tall-kite/surfaces/difference';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { bytesOf } from './usePart.ts';
import { partWorker } from './worker.ts';

/** How far the file as received and the design lie apart, once it is known. */
export interface Coloured {
  map: Differences | null;
  failed: string | null;
}

/**
 * How far what was received lies off the design, triangle by triangle; measured in the worker.
 * @param wanted somebody looks at it
 */
export function useDifference(part: PartView, wanted: boolean): Coloured {
  const file = part.file?.state === 'written' ? part.file : null;
  const { kind } = part.summary;
  const query = useQuery({
    queryKey: ['difference', file?.id, part.view],
    enabled: wanted && file !== null && kind !== 'drawing',
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const [view, geometry, bytes] = await Promise.all([
        bytesOf(`/api/parts/${part.id}/geometry?what=view`),
        kind === 'solid' ? bytesOf(`/api/parts/${part.id}/geometry?what=geometry`) : null,
        bytesOf(`/api/files/${file!.id}`),
      ]);
      const { recipe } = file!;
      const asked = { view, brep: geometry, bytes, format: recipe.file.format ?? 'stl', receiver: recipe.receiver, stance: recipe.stance, scale: scaleOf(part.summary, recipe) }; // prettier-ignore
      return partWorker().difference(transfer(asked, [view, bytes, ...(geometry ? [geometry] : [])]));
    },
  });
  return { map: query.data ?? null, failed: query.isError ? query.error.message : null };
}
