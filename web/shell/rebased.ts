const isTable = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null && !Array.isArray(v);

/**
 * What somebody wanted to change in something they had seen, done to what stands there now: fields that they left as they were stay as they are.
 * @example rebased({ a: 1, b: 1 }, { a: 2, b: 1 }, { a: 1, b: 3 }) // { a: 2, b: 3 }
 */
export function rebased<T>(seen: T, wanted: T, now: T): T {
  if (JSON.stringify(seen) === JSON.stringify(wanted)) return now;
  if (!isTable(seen) || !isTable(wanted) || !isTable(now)) return wanted;
  const out: Record<string, unknown> = {};
  for (const key of new Set([...Object.keys(now), ...Object.keys(wanted)])) {
    const value = rebased(seen[key], wanted[key], now[key]);
    if (value !== undefined) out[key] = value;
  }
  return out as T;
}
