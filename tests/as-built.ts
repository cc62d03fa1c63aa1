import { execFileSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join, sep } from 'node:path';
import type { Plugin } from 'vitest/config';

const root = join(import.meta.dirname, '..');

/** What was built is loaded by Node itself; see `asBuilt`. */
export const builtByNode = { deps: { external: [/[\\/](core|server|demo)[\\/]dist[\\/]/] } };

/**
 * Tests name the sources of a package and get what was built of them, as it is installed and as Node loads it. Rewritten for the tests, where every name
 * of another module is asked for at each call, the same code takes half as long again; and a kernel would be there twice.
 */
export function asBuilt(packages: readonly string[]): Plugin {
  const folders = packages.map((name) => ({ src: join(root, name, 'src') + sep, dist: join(root, name, 'dist') + sep }));
  return {
    name: 'as-built',
    enforce: 'pre',
    resolveId(name, importer) {
      if (!importer || !name.startsWith('.')) return null;
      const file = join(importer, '..', name);
      const folder = folders.find(({ src }) => file.startsWith(src));
      if (!folder) return null;
      const built = folder.dist + file.slice(folder.src.length).replace(/\.ts$/, '.js');
      return existsSync(built) ? built : null;
    },
  };
}

/** Builds what the tests load, where a source is newer; with AS_BUILT set it is taken as it is. */
export default function build(): void {
  if (process.env.AS_BUILT) return;
  execFileSync(process.execPath, [join(root, 'node_modules', 'typescript', 'bin', 'tsc'), '-b', 'core', 'server', 'demo'], { cwd: root, stdio: 'inherit' });
}
