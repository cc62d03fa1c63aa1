// What this machine needs: Debian packages, Node packages, a build. Uses nothing but Node itself.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

// Nothing that is begun from here tells anybody of it.
process.env.NEXT_TELEMETRY_DISABLED = '1';

export const root = dirname(dirname(fileURLToPath(import.meta.url)));
export const isRoot = process.getuid?.() === 0;

/** Stops with a sentence. */
export function giveUp(sentence) {
  console.error(`\n${sentence}\n`);
  process.exit(1);
}

/** Runs a command to its end, its output shown; gives up when it fails. */
export function must(command, args, options = {}) {
  const done = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (done.status !== 0) giveUp(`"${command} ${args.join(' ')}" failed${done.error ? `: ${done.error.message}` : ''}.`);
}

/** The folder of PostgreSQL's own programs, the newest version installed; null when there is none. */
export function postgresFolder() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return null;
  const versions = readdirSync(base).filter((v) => existsSync(join(base, v, 'bin', 'initdb')) && existsSync(join(base, v, 'bin', 'postgres')));
  versions.sort((a, b) => Number(b) - Number(a));
  return versions.length > 0 ? join(base, versions[0], 'bin') : null;
}

/** Installs Debian packages that are missing: `wanted` maps a package to whether it is there. */
export function ensurePackages(wanted) {
  const missing = Object.entries(wanted)
    .filter(([, there]) => !there())
    .map(([name]) => name);
  if (missing.length === 0) return;
  const line = `apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  const quiet = { stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } };
  const sudo = isRoot ? [] : ['sudo', '-n'];
  if (!isRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status !== 0) {
    giveUp(`These Debian packages are missing. Install them with this line, then start again:\n\n  sudo ${line}`);
  }
  console.log(`Installing from Debian: ${missing.join(', ')} ...`);
  const [update, ...updateArgs] = [...sudo, 'apt-get', 'update'];
  spawnSync(update, updateArgs, { ...quiet, stdio: 'ignore' });
  const [install, ...installArgs] = [...sudo, ...line.split(' ')];
  must(install, installArgs, quiet);
}

export const postgresPackage = { postgresql: () => postgresFolder() !== null };
export const browserPackages = {
  chromium: () => existsSync('/usr/bin/chromium'),
  'chromium-driver': () => existsSync('/usr/bin/chromedriver'),
};

/** Independent readers that the tests hold written files against. */
export const readerPackages = {
  python3: () => existsSync('/usr/bin/python3'),
  'zbar-tools': () => existsSync('/usr/bin/zbarimg'),
  'poppler-utils': () => existsSync('/usr/bin/pdftoppm'),
  lib3mf1: () => readdirSync('/usr/lib').some((arch) => existsSync(join('/usr/lib', arch, 'lib3MF.so.1'))),
  'python3-gmsh': () => existsSync('/usr/lib/python3/dist-packages/gmsh.py'),
  'python3-ezdxf': () => existsSync('/usr/lib/python3/dist-packages/ezdxf'),
  'python3-matplotlib': () => existsSync('/usr/lib/python3/dist-packages/matplotlib'),
  'python3-gdal': () => existsSync('/usr/lib/python3/dist-packages/osgeo'),
  'python3-pikepdf': () => existsSync('/usr/lib/python3/dist-packages/pikepdf'),
  'python3-svgelements': () => existsSync('/usr/lib/python3/dist-packages/svgelements'),
  'librsvg2-tests': () => existsSync('/usr/libexec/installed-tests/RSVG'),
  'libharfbuzz-bin': () => existsSync('/usr/bin/hb-shape'),
  'python3-fonttools': () => existsSync('/usr/lib/python3/dist-packages/fontTools'),
  'python3-shapely': () => existsSync('/usr/lib/python3/dist-packages/shapely'),
  'python3-cairo': () => existsSync('/usr/lib/python3/dist-packages/cairo'),
  'librsvg2-bin': () => existsSync('/usr/bin/rsvg-convert'),
};

/** Installs Node packages when the lock file changed since the last time. */
export function ensureModules() {
  const stamp = join(root, 'node_modules', '.tall-kite-lock');
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  console.log('Installing Node packages ...');
  must('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  writeFileSync(stamp, lock);
}

/** A hash of all sources that a build depends on. */
function sourceHash() {
  const hash = createHash('sha256').update(readFileSync(join(root, 'package-lock.json')));
  const skip = new Set(['node_modules', 'dist', '.next', 'tests', 'kernel', 'fonts']);
  const walk = (folder) => {
    for (const name of readdirSync(folder).sort()) {
      if (skip.has(name) || name === 'next-env.d.ts' || name.endsWith('.tsbuildinfo')) continue;
      const path = join(folder, name);
      if (statSync(path).isDirectory()) walk(path);
      else hash.update(path.slice(root.length)).update(readFileSync(path));
    }
  };
  for (const folder of ['core', 'server', 'web', 'demo', 'scripts']) walk(join(root, folder));
  return hash.digest('hex');
}

/** Builds everything when a source changed since the last build. */
export function ensureBuild() {
  const stamp = join(root, 'web', '.next', 'tall-kite-built');
  const now = sourceHash();
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === now) return;
  console.log('Building ...');
  must('npm', ['run', '--silent', 'build']);
  mkdirSync(dirname(stamp), { recursive: true });
  writeFileSync(stamp, now);
}

/** The wanted port on loopback, or the next free one. */
export async function freePort(wanted) {
  for (let port = wanted; port < wanted + 200; port++) {
    const free = await new Promise((resolve) => {
      const probe = createServer();
      probe.once('error', () => resolve(false));
      probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
    });
    if (free) return port;
  }
  return giveUp(`No free port from ${wanted} on.`);
}

/** Whether an address is this machine's own: 127.0.0.0/8, ::1, localhost. Source: RFC 1122, 3.2.1.3; RFC 4291, 2.5.3. */
export const isLoopback = (host) => host === 'localhost' || host === '::1' || /^127\.\d{1,3}\.\d{1,3}\.\d{1,3}$/.test(host);
