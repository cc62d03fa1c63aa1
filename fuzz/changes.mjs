// Changes that know what a file is made of: bytes, lines and their numbers, values of JSON, tags of XML, members of a zip.
import { unzipSync, zipSync } from 'fflate';

/** A repeatable stream of whole numbers below n, another one for each seed. Source: SplitMix64's finaliser in 32 bits (murmur3's fmix32), Steele et al. 2014. */
export function dice(seed) {
  let state = seed >>> 0;
  return (n) => {
    state = (state + 0x9e3779b9) >>> 0;
    let z = state;
    z = Math.imul(z ^ (z >>> 16), 0x85ebca6b);
    z = Math.imul(z ^ (z >>> 13), 0xc2b2ae35);
    return ((z ^ (z >>> 16)) >>> 0) % n;
  };
}

const extremes = ['0', '-0', '1', '-1', 'nan', 'inf', '1e308', '1e400', '-1e400', '1e-320', '2147483647', '2147483648', '4294967295', '-999999999999', '0.1', '1e9', '65536', '', '0x10', '1.2.3', '٣']; // prettier-ignore
const odd = ['"', "'", '<', '>', '&', '\\', '/', '\0', '\r', '\n', '\t', '\ud800', '\u202e', '%', '#', '$', '*', '{', '}', '(', ')', '[', ']', ';', ',', '-->', ']]>', '\\U+D800', '\\X2\\D83D\\X0\\']; // prettier-ignore

const latin = (bytes) => Buffer.from(bytes).toString('latin1');
const bytesOf = (text) => Buffer.from(text, 'latin1');

/** Bytes: replaced, cut out, doubled, moved, filled; four bytes as a count that is too large; the end cut off. */
export function inBytes(bytes, random) {
  let b = Buffer.from(bytes);
  for (let k = 0; k <= random(5) && b.length > 0; k++) {
    const at = random(b.length);
    const long = 1 + random(60);
    switch (random(8)) {
      case 0:
        b[at] = random(256);
        break;
      case 1:
        b[at] ^= 1 << random(8);
        break;
      case 2:
        b = Buffer.concat([b.subarray(0, at), b.subarray(at + long)]);
        break;
      case 3:
        b = Buffer.concat([b.subarray(0, at), b.subarray(at, at + long), b.subarray(at)]);
        break;
      case 4:
        b = b.subarray(0, at);
        break;
      case 5:
        b.fill([0, 255, 32, 10][random(4)], at, Math.min(b.length, at + long));
        break;
      case 6:
        if (at + 4 <= b.length) b[random(2) ? 'writeUInt32LE' : 'writeUInt32BE']([0, 1, 0x7fffffff, 0xffffffff, 0x10000, random(1e6)][random(6)], at);
        break;
      default:
        b = Buffer.concat([b.subarray(0, at), Buffer.from(Array.from({ length: long }, () => random(256))), b.subarray(at)]);
    }
  }
  return b;
}

/** Lines: dropped, doubled, moved, cut; numbers and references put elsewhere; signs thrown in; one line a thousand times. */
export function inLines(bytes, random) {
  const lines = latin(bytes).split('\n');
  for (let k = 0; k <= random(6) && lines.length > 0; k++) {
    const at = random(lines.length);
    switch (random(9)) {
      case 0:
        lines.splice(at, 1 + random(3));
        break;
      case 1:
        lines.splice(at, 0, lines[random(lines.length)]);
        break;
      case 2:
        [lines[at], lines[random(lines.length)]] = [lines[random(lines.length)], lines[at]];
        break;
      case 3:
        lines[at] = lines[at].slice(0, random(lines[at].length + 1));
        break;
      case 4:
      case 5:
        lines[at] = lines[at].replace(/-?\d[\d.eE+-]*/g, (n) => (random(3) ? n : extremes[random(extremes.length)]));
        break;
      case 6:
        lines[at] = lines[at].replace(/#\d+/g, () => `#${random(300)}`);
        break;
      case 7: {
        const where = random(lines[at].length + 1);
        lines[at] = lines[at].slice(0, where) + odd[random(odd.length)] + lines[at].slice(where);
        break;
      }
      default:
        if (random(20) === 0) lines.splice(at, 0, ...new Array(1000).fill(lines[at]));
    }
  }
  return bytesOf(lines.join('\n'));
}

/** Tags: one dropped, doubled, put into itself, its attributes exchanged, emptied or set to extremes. */
export function inTags(bytes, random) {
  let text = latin(bytes);
  for (let k = 0; k <= random(4); k++) {
    const tags = [...text.matchAll(/<[^<>]+>/g)];
    if (tags.length === 0) break;
    const tag = tags[random(tags.length)];
    const [from, to] = [tag.index, tag.index + tag[0].length];
    const changed = [
      () => '',
      () => tag[0] + tag[0],
      () => tag[0].repeat(200),
      () => tag[0].replace(/"[^"]*"/g, (v) => (random(3) ? v : `"${extremes[random(extremes.length)]}"`)),
      () => tag[0].replace(/"([^"]*)"/g, (v, inner) => (random(3) ? v : `"${inner}${odd[random(odd.length)]}"`)),
      () => tag[0].replace(/\s[\w:-]+="[^"]*"/, ''),
      () => tags[random(tags.length)][0],
      () => tag[0].replace(/[\d.]+/g, (n) => (random(2) ? n : extremes[random(extremes.length)])),
    ][random(8)]();
    text = text.slice(0, from) + changed + text.slice(to);
  }
  return bytesOf(text);
}

const strange = [null, true, -1, 0, 1e308, '', 'x', '__proto__', '\ud800', '\0', [], {}, [[]], { length: 1e9 }, 'constructor', 1.5, '2026-99-99'];

/** JSON: a value anywhere replaced by a strange one, left out, doubled or put elsewhere. */
export function inJson(bytes, random) {
  let tree;
  try {
    tree = JSON.parse(Buffer.from(bytes).toString('utf8'));
  } catch {
    return inBytes(bytes, random);
  }
  for (let k = 0; k <= random(3); k++) {
    let [holder, key] = [{ tree }, 'tree'];
    for (let depth = 0; depth < 12; depth++) {
      const here = holder[key];
      if (typeof here !== 'object' || here === null || random(4) === 0) break;
      const keys = Object.keys(here);
      if (keys.length === 0) break;
      [holder, key] = [here, keys[random(keys.length)]];
    }
    if (key === 'tree') continue;
    if (random(4) === 0) delete holder[key];
    else if (random(4) === 0 && Array.isArray(holder)) holder.push(...holder.slice(0, 50));
    else holder[key] = structuredClone(strange[random(strange.length)]);
  }
  return Buffer.from(JSON.stringify(tree));
}

/** A zip whose bytes are the same at whatever hour it is made. */
export const zipOf = (files) => Buffer.from(zipSync(files, { level: 1, mtime: new Date(1980, 0, 1) }));

/** A zip: one member changed by what suits it, dropped, doubled under another name or renamed; now and then the bytes of the zip itself. */
export const inZip = (member) => (bytes, random) => {
  if (random(5) === 0) return inBytes(bytes, random);
  let files;
  try {
    files = unzipSync(bytes);
  } catch {
    return inBytes(bytes, random);
  }
  const names = Object.keys(files);
  if (names.length === 0) return inBytes(bytes, random);
  const name = names[random(names.length)];
  switch (random(8)) {
    case 0:
      delete files[name];
      break;
    case 1:
      files[`${random(2) ? '../' : ''}${name}${random(100)}`] = files[name];
      break;
    case 2:
      files[name] = new Uint8Array(0);
      break;
    default:
      files[name] = member(files[name], random);
  }
  return zipOf(files);
};

/** One way or another, the first most of the time. */
export const mostly =
  (way, other = inBytes) =>
  (bytes, random) =>
    random(4) ? way(bytes, random) : other(bytes, random);
