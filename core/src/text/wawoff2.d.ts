declare module 'wawoff2/decompress.js' {
  /** WOFF2 to sfnt. */
  export default function decompress(bytes: Uint8Array): Promise<Uint8Array>;
}
