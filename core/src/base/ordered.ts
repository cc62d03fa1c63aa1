const inOrder = (_key: string, v: unknown): unknown =>
  v !== null && typeof v === 'object' && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).sort(([a], [b]) => (a < b ? -1 : 1))) : v;

/** One text for equal data, however it was written down. Method: RFC 8785, section 3.2.3. @example orderedText({ b: 1, a: 2 }) // '{"a":2,"b":1}' */
export const orderedText = (data: unknown): string => JSON.stringify(data, inOrder);
