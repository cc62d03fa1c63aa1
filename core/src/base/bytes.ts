/** Pieces of a file one behind the other. */
export function joinedBytes(pieces: Iterable<Uint8Array>): Uint8Array<ArrayBuffer> {
  const list = [...pieces];
  const out = new Uint8Array(list.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const piece of list) {
    out.set(piece, at);
    at += piece.length;
  }
  return out;
}
