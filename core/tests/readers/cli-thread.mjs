// The command line in a thread of its own, with its kernels kept warm between calls.
import { workerData } from 'node:worker_threads';
import { main } from '../../dist/cli/main.js';

const { port, flag } = workerData;
const done = new Int32Array(flag);
port.on('message', async (args) => {
  let [stdout, stderr] = ['', ''];
  const status = await main(
    args,
    (text) => (stdout += text),
    (text) => (stderr += text),
  );
  port.postMessage({ status, stdout, stderr });
  Atomics.store(done, 0, 1);
  Atomics.notify(done, 0);
});
