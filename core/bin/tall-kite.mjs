#!/usr/bin/env node
import { existsSync } from 'node:fs';

const built = new URL('../dist/cli/main.js', import.meta.url);
if (!existsSync(built)) {
  process.stderr.write('The core is not built yet. Run "npm run build:core" in the project folder first.\n');
  process.exit(2);
}
const { main } = await import(built.href);
const code = await main(
  process.argv.slice(2),
  (text) => process.stdout.write(text),
  (text) => process.stderr.write(text),
);
process.exitCode = code;
