'use client';
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { Material } from 'tall-kite/materials/materials';
import type { StoredMaterial } from '@tall-kite/server/stores/materials';
import { ask } from '@/shell/ask.ts';

export const useStoredMaterials = () => useQuery({ queryKey: ['materials'], queryFn: () => ask<StoredMaterial[]>('/api/stores/materials'), staleTime: 10_000 });

/** What the stores know of materials; empty until it is known. */
export function useMaterials(): Material[] {
  const { data } = useStoredMaterials();
  return useMemo(() => (data ?? []).map((m) => m.material), [data]);
}
