/** Bytes as Latin-1 text. */
export function latin(bytes: Uint8Array): string {
  return new TextDecoder('latin1').decode(bytes);
}
