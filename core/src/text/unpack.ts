import { unzlibSync } from 'fflate';
import { Unusable } from '../base/finding.ts';
import { mostFontBytes } from './face.ts';

const signature = (bytes: Uint8Array): string => String.fromCharCode(...bytes.subarray(0, 4));
const bad = (why: string): Unusable => new Unusable('bad-font', `The font can't be unpacked: ${why}.`, 'Bring in a whole TTF, OTF, WOFF or WOFF2 file.');

/**
 * A font as plain tables (sfnt), whichever way it is packed: TTF and OTF as they are, WOFF by its own tables, WOFF2 by its reference decoder.
 * @throws Unusable when it is damaged. Runs where there is a file system (the server, the command line). Sources: W3C WOFF 1.0 and WOFF 2.0.
 */
export async function unpacked(bytes: Uint8Array): Promise<Uint8Array> {
  if (signature(bytes) === 'wOFF') return fromWoff(bytes);
  if (signature(bytes) !== 'wOF2') return bytes;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 48 || view.getUint32(8) !== bytes.length) throw bad('it is cut off');
  if (view.getUint32(16) > mostFontBytes) throw bad(`unpacked it would have more than ${mostFontBytes / 2 ** 20} MB`);
  const { default: decompress } = (await import(/* turbopackIgnore: true */ 'wawoff2/decompress.js')) as { default: (b: Uint8Array) => Promise<Uint8Array> };
  try {
    return Uint8Array.from(await decompress(bytes));
  } catch {
    throw bad('it is damaged');
  }
}

/** Source: W3C WOFF File Format 1.0, sections 3 to 5. */
function fromWoff(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 44) throw bad('it is cut off');
  const [count, total] = [view.getUint16(12), view.getUint32(16)];
  if (total > mostFontBytes) throw bad(`unpacked it would have more than ${mostFontBytes / 2 ** 20} MB`);
  if (44 + count * 20 > bytes.length) throw bad('its list of tables is cut off');
  const entries = Array.from({ length: count }, (_, i) => {
    const at = 44 + i * 20;
    return {
      tag: view.getUint32(at),
      offset: view.getUint32(at + 4),
      packed: view.getUint32(at + 8),
      length: view.getUint32(at + 12),
      sum: view.getUint32(at + 16),
    };
  });
  let end = 12 + count * 16;
  const starts = entries.map(({ length }) => {
    const at = end;
    end += (length + 3) & ~3;
    return at;
  });
  if (end > mostFontBytes) throw bad(`unpacked it would have more than ${mostFontBytes / 2 ** 20} MB`);
  const out = new Uint8Array(end);
  const into = new DataView(out.buffer);
  into.setUint32(0, view.getUint32(4));
  into.setUint16(4, count);
  entries.forEach(({ tag, offset, packed, length, sum }, i) => {
    if (offset + packed > bytes.length) throw bad('a table reaches beyond its end');
    const entry = 12 + i * 16;
    for (const [k, value] of [tag, sum, starts[i], length].entries()) into.setUint32(entry + k * 4, value);
    const data = bytes.subarray(offset, offset + packed);
    out.set(packed < length ? inflated(data, length) : data, starts[i]);
  });
  return out;
}

function inflated(data: Uint8Array, length: number): Uint8Array {
  try {
    return unzlibSync(data, { out: new Uint8Array(length) });
  } catch {
    throw bad('a table is damaged');
  }
}
