import sax from 'sax';
import type { Unusable } from '../base/finding.ts';

/** What is done at each tag; names come without their prefix. */
export interface TakeTags {
  open(name: string, attributes: Record<string, string>): void;
  close?(name: string): void;
  /** Text between tags, in pieces as they come. */
  text?(text: string): void;
}

/**
 * Goes through XML tag by tag. Entities other than the five of XML are never expanded; nothing outside is followed.
 * @param broken makes the refusal of a damaged file.
 */
export function eachTag(data: Uint8Array, take: TakeTags, broken: (why: string) => Unusable): void {
  const parser = sax.parser(true, { trim: false });
  // The first damage ends it: what comes after is not looked at.
  parser.onerror = (error) => {
    throw broken(`its XML is damaged (${error.message.split('\n')[0].toLowerCase()})`);
  };
  const plain = (name: string) => (name.includes(':') ? name.slice(name.indexOf(':') + 1) : name);
  parser.onopentag = (tag) => {
    take.open(plain(tag.name), tag.attributes as Record<string, string>);
  };
  parser.onclosetag = (name) => take.close?.(plain(name));
  if (take.text) parser.ontext = (text) => take.text!(text);
  const decoder = new TextDecoder('utf-8');
  for (let from = 0; from < data.length; from += 1 << 16) parser.write(decoder.decode(data.subarray(from, from + (1 << 16)), { stream: true }));
  parser.close();
}
