/** Pages of ISO 8859 by the letter that a file names them with. Source: ISO 10303-21, 6.4.3.3. */
const pages = ['iso-8859-1', 'iso-8859-2', 'iso-8859-3', 'iso-8859-4', 'iso-8859-5', 'iso-8859-6', 'iso-8859-7', 'iso-8859-8', 'iso-8859-9'];

const backslash = 92;

/**
 * The text of a string of ISO 10303-21 from the bytes between its apostrophes: doubled apostrophes and backslashes, \S\, \P.\, \X\, \X2\ and \X4\ become what they
 * stand for. Bytes above 127 are UTF-8 (third edition) where they are, else Latin 1. What is no directive stays as it stands.
 * @example decodedString(new TextEncoder().encode("M\\X2\\00FC\\X0\\hle")) // 'Mühle'
 */
export function decodedString(bytes: Uint8Array): string {
  if (!bytes.includes(backslash)) return plain(bytes).replaceAll("''", "'");
  let out = '';
  let page = 0;
  let from = 0;
  const text = plain(bytes);
  // Directives are of plain letters: places in the text are taken from the text.
  const directive = /\\(?:S\\([\s\S])|P([A-I])\\|X\\([0-9A-F]{2})|X2\\((?:[0-9A-F]{4})+)\\X0\\|X4\\((?:[0-9A-F]{8})+)\\X0\\|(\\))/gi;
  for (const match of text.matchAll(directive)) {
    out += text.slice(from, match.index).replaceAll("''", "'");
    from = match.index + match[0].length;
    const [, shifted, letter, byte, two, four, slash] = match;
    if (shifted !== undefined) out += new TextDecoder(pages[page]).decode(Uint8Array.of((shifted.charCodeAt(0) + 128) & 255));
    else if (letter !== undefined) page = letter.toUpperCase().charCodeAt(0) - 65;
    else if (byte !== undefined) out += String.fromCharCode(parseInt(byte, 16));
    else if (two !== undefined)
      out += two.match(/.{4}/g)!.map((h) => String.fromCharCode(parseInt(h, 16))).join(''); // prettier-ignore
    else if (four !== undefined)
      out += four.match(/.{8}/g)!.map(pointOf).join(''); // prettier-ignore
    else if (slash !== undefined) out += '\\';
  }
  return out + text.slice(from).replaceAll("''", "'");
}

/** A code point; the sign for what can not be shown when it is beyond all. */
function pointOf(hex: string): string {
  const code = parseInt(hex, 16);
  return code > 0x10ffff ? '�' : String.fromCodePoint(code);
}

function plain(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('iso-8859-1').decode(bytes);
  }
}

/** A real of the exchange structure of twelve digits: always with a point. Source: ISO 10303-21, 6.3.2. */
export const real = (value: number): string => exactReal(Number(value.toPrecision(12)));

/** A real with all its digits: read again it is the same number. */
export function exactReal(value: number): string {
  const text = String(value === 0 ? 0 : value).toUpperCase();
  if (!/[.E]/.test(text)) return `${text}.`;
  return text.includes('E') && !text.includes('.') ? text.replace('E', '.E') : text;
}

/** A string of the exchange structure: quotes doubled, other characters by their code. Source: ISO 10303-21, 6.3.3. */
export function stepText(text: string): string {
  return text
    .replace(/[\0-\x1f\x7f]/g, ' ')
    .replace(/\\/g, '\\\\')
    .replace(/'/g, "''")
    .replace(
      /[^\x20-\x7e]+/gu,
      (run) => `\\X2\\${Array.from({ length: run.length }, (_, i) => run.charCodeAt(i).toString(16).toUpperCase().padStart(4, '0')).join('')}\\X0\\`,
    );
}
