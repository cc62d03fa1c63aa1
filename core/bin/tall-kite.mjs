#!/usr/bin/env node
import { existsSync } from 'node:fs';

const built = new URL('../dist/cli/main.js', import.meta.url);
if (!existsSync(built)) {
  process.stderr.write('The core is not built yet. Run "npm run build:core" in the project folder first.\n');
  process.exit(2);
}
const argv = process.argv.slice(2);
const out = (text) => process.stdout.write(text);
const err = (text) => process.stderr.write(text);
const { askWarm } = await import('../dist/cli/warm.js');
const asked = await askWarm(argv, out, err);
process.exitCode = asked ?? (await (await import(built.href)).main(argv, out, err));
