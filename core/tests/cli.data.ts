import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { MessageChannel, receiveMessageOnPort, Worker, type MessagePort } from 'node:worker_threads';

export interface Ran {
  status: number | null;
  stdout: string;
  stderr: string;
}

const program = fileURLToPath(new URL('../bin/tall-kite.mjs', import.meta.url));

/** The program itself, in a process of its own: seconds, since its kernels start anew. */
export const runProgram = (...args: string[]): Ran => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [program, ...args], { encoding: 'utf8' });
  return { status, stdout, stderr };
};

let thread: { port: MessagePort; done: Int32Array } | null = null;
const longest = 170_000;

/** What the program does with these arguments, in one thread for all calls: its kernels start once. */
export function run(...args: string[]): Ran {
  if (!thread) {
    const flag = new SharedArrayBuffer(4);
    const { port1, port2 } = new MessageChannel();
    const worker = new Worker(new URL('./readers/cli-thread.mjs', import.meta.url), { workerData: { port: port2, flag }, transferList: [port2] });
    worker.unref();
    port1.unref();
    thread = { port: port1, done: new Int32Array(flag) };
  }
  const { port, done } = thread;
  Atomics.store(done, 0, 0);
  port.postMessage(args);
  if (Atomics.wait(done, 0, 0, longest) === 'timed-out') throw new Error(`"tall-kite ${args.join(' ')}" said nothing for ${longest / 1000} s`);
  return receiveMessageOnPort(port)!.message as Ran;
}
