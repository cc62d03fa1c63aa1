'use client';
import { useQuery } from '@tanstack/react-query';
import { transfer } from 'comlink';
import { useEffect, useState } from 'react';
import { heavyAbove } from 'tall-kite/view/light';
import { unpackView, type View } from 'tall-kite/view/view';
import type { OperationView } from '@tall-kite/server/operations/operations';
import type { PlaceKind } from 'tall-kite/mesh/soundness/full-findings';
import { unpackPlaces, type Place } from 'tall-kite/view/places';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import type { Picture, ReceivedView } from '@/workers/part.worker.ts';
import { partWorker } from './worker.ts';

export async function bytesOf(path: string): Promise<ArrayBuffer> {
  return (await fetched(path)).arrayBuffer();
}

/** What the server answers. @throws Error when it refuses */
export async function fetched(path: string): Promise<Response> {
  const response = await fetch(path);
  if (!response.ok) throw new Error(`The server answered ${response.status}.`);
  return response;
}

/** The part to be drawn, as it was designed. */
export function useView(partId: string, shape: string): { view: View | null; failed: boolean } {
  const query = useQuery({
    queryKey: ['view', partId, shape],
    staleTime: Infinity,
    queryFn: async () => unpackView(await bytesOf(`/api/parts/${partId}/geometry?what=view`)),
  });
  return { view: query.data ?? null, failed: query.isError };
}

/** What is drawn of a heavy part while the camera moves, made in the worker; null while there is none. @param view the part as it is drawn */
export function useLight(partId: string, shape: string, view: View | null): Picture | null {
  const query = useQuery({
    queryKey: ['light', partId, shape],
    enabled: view !== null && view.triangles.length > 3 * heavyAbove,
    staleTime: Infinity,
    retry: false,
    queryFn: () => partWorker().light(`${partId} ${shape}`, `/api/parts/${partId}/geometry?what=view`),
  });
  return query.data ?? null;
}

/** A part that an operation would make, to be drawn; null while there is none. */
export function useProposal(operation: OperationView | null): View | null {
  const ready = operation?.state === 'ready' && operation.made.length > 0 ? operation : null;
  const query = useQuery({
    queryKey: ['proposal', ready?.id],
    enabled: ready !== null,
    staleTime: Infinity,
    queryFn: async () => unpackView(await bytesOf(`/api/operations/${ready!.id}/shape?what=view&n=0`)),
  });
  return ready ? (query.data ?? null) : null;
}

/** Where the findings of a check are. */
export function usePlaces(operation: OperationView | null): Record<PlaceKind, Place> | null {
  const ready = operation?.state === 'ready' && operation.places ? operation : null;
  const query = useQuery({
    queryKey: ['places', ready?.id],
    enabled: ready !== null,
    staleTime: Infinity,
    queryFn: async () => unpackPlaces(await bytesOf(`/api/operations/${ready!.id}/shape?what=places`)),
  });
  return ready ? (query.data ?? null) : null;
}

/** What the receiver sees in the part's last written file, decoded from the very bytes. */
export function useReceived(part: PartView | null): ReceivedView | null {
  const file = part?.file?.state === 'written' ? part.file : null;
  const query = useQuery({
    queryKey: ['received', file?.id],
    enabled: file !== null,
    staleTime: Infinity,
    queryFn: async () => {
      const bytes = await bytesOf(`/api/files/${file!.id}`);
      return partWorker().received(transfer(bytes, [bytes]), file!.recipe.file.format ?? 'stl', file!.recipe.receiver);
    },
  });
  return file ? (query.data ?? null) : null;
}

/** Opens a solid in the worker, once; true when facets can be asked for. */
export function useOpened(part: PartView | null): { ready: boolean; failed: string | null } {
  const [ready, setReady] = useState<string | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const id = part?.summary.kind === 'solid' ? part.id : null;
  const key = id && `${id} ${part!.view}`;
  useEffect(() => {
    if (!id) return;
    let gone = false;
    (async () => {
      try {
        const text = new TextDecoder().decode(await bytesOf(`/api/parts/${id}/geometry?what=geometry`));
        await partWorker().open(text);
        if (!gone) setReady(key);
      } catch (thrown) {
        if (!gone) setFailed((thrown as Error).message);
      }
    })();
    return () => {
      gone = true;
    };
  }, [id, key]);
  return { ready: key !== null && ready === key, failed };
}
