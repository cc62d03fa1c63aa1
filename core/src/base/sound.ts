/** Text that comes from files and people, made so that every system can keep and show it. */

/** Marks that turn the direction of what is written after them: with them a name can look like another one. Source: Unicode UAX 9, 2. */
const turning = /[\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/g;

/** A name or text that any system can keep: no control characters, no halves of characters. @example sound('a\u0000b') // 'ab' */
export function sound(text: string): string {
  return text
    .replace(/[\x00-\x1f\x7f]/g, '')
    .replace(/[\ud800-\udbff](?![\udc00-\udfff])/g, '\ufffd')
    .replace(/(?<![\ud800-\udbff])[\udc00-\udfff]/g, '\ufffd');
}

/** Longest file name that file systems take, bytes of UTF-8. Source: NAME_MAX of limits.h on Linux. */
export const longestName = 255;

/**
 * A file's name as it is shown and kept: the last piece of a path, no control characters, marks that turn the direction of writing shown as \ufffd, at
 * most 255 bytes of UTF-8 with its ending. Never used as a path. Empty when nothing is left.
 * @example shownFileName('C:\\parts\\mast.stl') // 'mast.stl'
 */
export function shownFileName(name: string): string {
  const last = name.slice(Math.max(name.lastIndexOf('/'), name.lastIndexOf('\\')) + 1);
  const plain = sound(last).replace(turning, '\ufffd').trim();
  const dot = plain.lastIndexOf('.');
  const ending = dot > 0 && plain.length - dot <= 12 ? plain.slice(dot) : '';
  return bytesOf(plain) <= longestName ? plain : cutTo(plain, longestName - bytesOf(ending)) + ending;
}

const bytesOf = (text: string): number => new TextEncoder().encode(text).length;

/** The beginning of a text that takes no more bytes of UTF-8, no character cut. @example cutTo('aé', 2) // 'a' */
export function cutTo(text: string, mostBytes: number): string {
  const bytes = new TextEncoder().encode(text);
  let end = Math.min(bytes.length, mostBytes);
  // The second and later bytes of a character begin with the bits 10. Source: RFC 3629, 3.
  while (end < bytes.length && (bytes[end] & 0xc0) === 0x80) end--;
  return new TextDecoder().decode(bytes.subarray(0, end));
}

/** A name without marks that turn the direction of writing: each is an underscore. @example straight('a\u202eb') // 'a_b' */
export const straight = (text: string): string => text.replace(turning, '_');

/** A copy of plain data in which every text is sound, keys too; numbers and typed arrays are as they were. */
export function soundData<T>(value: T): T {
  if (typeof value === 'string') return sound(value) as T;
  if (Array.isArray(value)) return value.map((one) => soundData(one) as unknown) as T;
  if (typeof value !== 'object' || value === null || ArrayBuffer.isView(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([key, one]) => [sound(key), soundData(one) as unknown])) as T;
}
