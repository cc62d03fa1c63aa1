import { joinedBytes } from '../../base/bytes.ts';
import { Gunzip } from 'fflate';
import sax, { type SAXOptions, type SAXParser } from 'sax';
import { Unusable } from '../../base/finding.ts';

/** An element of an SVG file. */
export interface Node {
  name: string;
  attributes: Record<string, string>;
  children: Node[];
  parent: Node | null;
  /** Text inside, of style elements only; pieces of a text are children called #text, in their order. */
  text: string;
}

const mostElements = 1_000_000;
const deepest = 200;
/** No more than this comes out of a packed file, bytes. */
const mostUnpacked = 512 * 1024 * 1024;
/** All entities of a file together stand for at most so many characters. */
const mostEntityText = 1_000_000;

const isGzip = (bytes: Uint8Array): boolean => bytes[0] === 0x1f && bytes[1] === 0x8b;

/** Whether bytes look like SVG, packed or not: an svg element among the first few thousand. */
export function looksLikeSvg(bytes: Uint8Array): boolean {
  let head = bytes.subarray(0, 65_536);
  if (isGzip(bytes)) {
    try {
      head = unpacked(head, 65_536);
    } catch {
      return false;
    }
  }
  const text = decoded(head.subarray(0, 65_536));
  return /^\s*</.test(text) && /<(?:[\w-]{1,40}:)?svg[\s>]/.test(text);
}

/** The start of a gzip stream unpacked, as far as the bytes go. @throws Unusable above `most` bytes unless only a head is wanted. */
function unpacked(bytes: Uint8Array, head = 0): Uint8Array {
  const pieces: Uint8Array[] = [];
  let size = 0;
  const stream = new Gunzip((piece) => {
    size += piece.length;
    if (size > mostUnpacked && head === 0)
      throw new Unusable('too-large', `The packed file unfolds to more than ${mostUnpacked / 2 ** 20} MB.`, 'Export fewer layers at a time.');
    if (head === 0 || size - piece.length < head) pieces.push(piece);
  });
  try {
    for (let i = 0; i < bytes.length && (head === 0 || size < head); i += 65_536)
      stream.push(bytes.subarray(i, i + 65_536), head === 0 && i + 65_536 >= bytes.length);
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    throw new Unusable('cut-short', `The packed file is damaged (${(thrown as Error).message}).`, 'Export it again, or copy it whole.');
  }
  return joinedBytes(pieces);
}

/** Text by its byte-order mark, else by the encoding that the XML head names, else UTF-8. Source: XML 1.0, appendix F. */
function decoded(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return new TextDecoder('utf-16le').decode(bytes);
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return new TextDecoder('utf-16be').decode(bytes);
  const head = String.fromCharCode(...bytes.subarray(0, 200));
  const named = /^(?:\xef\xbb\xbf)?<\?xml[^>]{0,150}encoding=["']([\w.-]{1,30})["']/.exec(head)?.[1];
  try {
    return new TextDecoder(named ?? 'utf-8').decode(bytes);
  } catch {
    return new TextDecoder().decode(bytes);
  }
}

const texts = new Set(['text', 'tspan', 'textPath', 'a']);

export const localName = (name: string): string => name.slice(name.indexOf(':') + 1);

/**
 * The elements of a file. Entities that the file itself defines are followed; nothing outside is ever looked at.
 * @throws Unusable when it is no sound XML or no SVG.
 */
export function readXml(bytes: Uint8Array): { root: Node; outsideEntities: number } {
  const text = decoded(isGzip(bytes) ? unpacked(bytes) : bytes);
  const reader: SAXParser = sax.parser(true, { trim: false, position: false, strictEntities: true } as SAXOptions);
  const stack: Node[] = [];
  let root: Node | null = null;
  let elements = 0;
  let outsideEntities = 0;
  reader.onopentag = (tag) => {
    if (++elements > mostElements)
      throw new Unusable('too-many-entities', `The file has more than ${mostElements.toLocaleString('en')} elements.`, 'Export fewer layers at a time.');
    if (stack.length >= deepest)
      throw new Unusable('nested-too-deep', `Groups are nested more than ${deepest} deep.`, 'Ungroup them in the program that made the file.');
    const parent = stack.length > 0 ? stack[stack.length - 1] : null;
    const node: Node = { name: localName(tag.name), attributes: tag.attributes as Record<string, string>, children: [], parent, text: '' };
    if (parent) parent.children.push(node);
    else root ??= node;
    stack.push(node);
  };
  reader.onclosetag = () => void stack.pop();
  reader.ontext = reader.oncdata = (piece) => {
    const top = stack[stack.length - 1];
    if (top?.name === 'style') top.text += piece;
    else if (top && texts.has(top.name)) top.children.push({ name: '#text', attributes: {}, children: [], parent: top, text: piece });
  };
  reader.ondoctype = (doctype) => {
    const own = entitiesOf(doctype);
    outsideEntities = own.outside;
    (reader as unknown as { ENTITIES: Record<string, string> }).ENTITIES = { amp: '&', gt: '>', lt: '<', quot: '"', apos: "'", ...own.entities };
  };
  reader.onerror = (error) => {
    const broken = error.message.split('\n')[0];
    reader.error = null as unknown as Error;
    throw new Unusable('not-xml', `The file is not sound XML (${broken.toLowerCase()}).`, 'Export it again from the program that made it.');
  };
  reader.write(text).close();
  const found = root as Node | null;
  if (!found || found.name !== 'svg') throw new Unusable('not-svg', 'The file holds no svg element.', 'Export it again as SVG.');
  return { root: found, outsideEntities };
}

/** General entities of the internal subset, with those inside them put in. Source: XML 1.0, 4.2 and 4.5. */
function entitiesOf(doctype: string): { entities: Record<string, string>; outside: number } {
  const entities: Record<string, string> = Object.create(null) as Record<string, string>;
  let outside = 0;
  let total = 0;
  const pattern = /<!ENTITY\s+([\w.:-]{1,100})\s+(?:(SYSTEM|PUBLIC)\b|"([^"]*)"|'([^']*)')/g;
  for (const [, name, kind, double, single] of doctype.matchAll(pattern)) {
    if (kind) {
      outside++;
      continue;
    }
    // An entity may use those defined before it.
    const value = (double ?? single ?? '').replace(/&([\w.:-]{1,100});/g, (whole, inner: string) => entities[inner] ?? whole);
    total += value.length;
    if (total > mostEntityText)
      throw new Unusable(
        'too-many-entities',
        'Entities of the file stand for more text than any drawing needs.',
        'Export it again without entities of its own.',
      );
    if (!(name in entities)) entities[name] = characters(value);
  }
  return { entities, outside };
}

/** Numbers of characters as characters. */
function characters(text: string): string {
  return text.replace(/&#(x[0-9a-fA-F]{1,6}|[0-9]{1,7});/g, (_, n: string) => {
    const code = n[0] === 'x' ? parseInt(n.slice(1), 16) : Number(n);
    return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : '';
  });
}
