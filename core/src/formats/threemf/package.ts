import { unzipSync } from 'fflate';
import { Unusable } from '../../base/finding.ts';
import { textOf } from '../mesh-file.ts';
import { eachTag } from '../xml-tags.ts';
import { broken } from './broken.ts';

/** Nothing larger than this is unpacked, whatever the archive promises, bytes. */
const mostUnpacked = 2 ** 30;
/** The models and relationships of a package, by their paths in small letters. @throws Unusable when it is no package, damaged, or far too large unpacked. */
export function unpacked(bytes: Uint8Array): Map<string, Uint8Array> {
  if (!(bytes[0] === 0x50 && bytes[1] === 0x4b))
    throw new Unusable('not-3mf', 'The file is named .3mf but is no such package (a zip archive).', 'Export it again, or bring it in under its real ending.');
  let total = 0;
  try {
    const files = unzipSync(bytes, {
      filter: (file) => {
        if (!/\.(model|rels)$/i.test(file.name)) return false;
        total += file.originalSize;
        // What is written small and unpacks huge is refused before it is unpacked.
        // Deflate can't pack tighter than 1032 to 1 (RFC 1951): a larger promise is a lie.
        if (file.originalSize > 1032 * file.size + 100) throw broken('a member says that it is larger than it can be');
        if (total > mostUnpacked) {
          throw new Unusable('too-large', 'The package would unpack to far more than it is worth opening.', 'Export fewer parts at a time.');
        }
        return true;
      },
    });
    return new Map(Object.entries(files).map(([name, data]) => [`/${name.replace(/^\/+/, '')}`.toLowerCase(), data]));
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    throw broken(`the archive is damaged (${(thrown as Error).message})`);
  }
}

/** The path of the model that the package starts with. Source: Open Packaging Conventions, relationship of type 3dmodel. */
export function startOf(files: Map<string, Uint8Array>): string {
  const rels = files.get('/_rels/.rels');
  let target: string | null = null;
  if (rels) {
    eachTag(
      rels,
      {
        open: (name, attributes) => {
          if (name === 'Relationship' && /\/3dmodel$/.test(attributes.Type ?? '')) target ??= `/${(attributes.Target ?? '').replace(/^\/+/, '')}`;
        },
      },
      broken,
    );
  }
  if (target !== null) return target;
  const only = [...files.keys()].filter((name) => name.endsWith('.model'));
  if (only.length === 0) throw broken('it holds no model');
  return only[0];
}

/** For tests and findings: the text of a member of the package. */
export function memberText(bytes: Uint8Array, name: string): string | null {
  const data = unpacked(bytes).get(`/${name}`.toLowerCase());
  return data ? textOf(data) : null;
}
