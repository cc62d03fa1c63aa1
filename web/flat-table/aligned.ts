/** SVG and PDF have the corner of their page for zero: what was received is laid with its low left corner on the drawing's. */
export function aligned<T extends { points: Float32Array; box: [number, number, number, number]; order: { start: [number, number] }[] }>(
  received: T,
  view: { box: [number, number, number, number] },
  format: string,
): T {
  if (format === 'dxf') return received;
  const [dx, dy] = [view.box[0] - received.box[0], view.box[1] - received.box[1]];
  if (Math.abs(dx) + Math.abs(dy) < 1e-9) return received;
  const points = received.points.slice();
  for (let i = 0; i < points.length; i += 2) {
    points[i] += dx;
    points[i + 1] += dy;
  }
  const [l, b, r, t] = received.box;
  return {
    ...received,
    points,
    box: [l + dx, b + dy, r + dx, t + dy],
    order: received.order.map((o) => ({ ...o, start: [o.start[0] + dx, o.start[1] + dy] as [number, number] })),
  };
}
