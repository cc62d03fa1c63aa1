import { Readable } from 'node:stream';
import { context } from './context.ts';

/** Stored bytes as a streamed answer; their hash is the ETag, so a browser asks for them once. */
export async function storedBytes(request: Request, sha256: string, headers: Record<string, string>): Promise<Response> {
  const etag = `"${sha256}"`;
  if (request.headers.get('if-none-match') === etag) return new Response(null, { status: 304, headers: { ETag: etag } });
  const { stream, bytes } = await context().blobs.stream(sha256);
  return new Response(Readable.toWeb(stream) as unknown as ReadableStream, {
    headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': String(bytes), ETag: etag, 'Cache-Control': 'private, no-cache', ...headers },
  });
}

/** A small picture; its address changes with it, so a browser need not ask again. */
export const pictureBytes = (request: Request, sha256: string): Promise<Response> =>
  storedBytes(request, sha256, { 'Content-Type': 'image/webp', 'Cache-Control': 'private, max-age=31536000, immutable' });

/** Registered media types of what is written. Source: IANA (model/stl, model/3mf, model/obj, model/step); PLY has none. */
export function contentTypeOf(fileName: string): string {
  const types: Record<string, string> = { stl: 'model/stl', '3mf': 'model/3mf', obj: 'model/obj', step: 'model/step' };
  return types[/\.(\w+)$/.exec(fileName)?.[1] ?? ''] ?? 'application/octet-stream';
}

/** A Content-Disposition that every browser understands. Source: RFC 6266 and RFC 8187. */
export function attachment(fileName: string): string {
  const plain = fileName.replace(/[^\x20-\x7e]|["\\]/g, '_');
  return `attachment; filename="${plain}"; filename*=UTF-8''${encodeURIComponent(fileName).replace(/['()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`)}`;
}
