// Runs PostgreSQL for the supervisor, and stops it when the supervisor is gone. Arguments: the program and its own.
import { spawn } from 'node:child_process';

const [program, ...args] = process.argv.slice(2);
const parent = process.ppid;
const child = spawn(program, args, { cwd: '/', stdio: ['ignore', 'ignore', 'inherit'] });
let stopping = false;

function stop() {
  if (stopping) return;
  stopping = true;
  // Fast shutdown; after a while without it: at once, and recovery at the next start. Source: PostgreSQL, "Shutting Down the Server".
  child.kill('SIGINT');
  setTimeout(() => child.kill('SIGQUIT'), 8000).unref();
}
child.once('exit', (code, signal) => process.exit(code ?? (signal ? 1 : 0)));
child.once('error', (error) => {
  process.stderr.write(`${error.message}\n`);
  process.exit(1);
});
for (const name of ['SIGTERM', 'SIGINT', 'SIGHUP']) process.on(name, stop);
setInterval(() => {
  if (process.ppid !== parent) stop();
}, 500);
