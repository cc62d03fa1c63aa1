// One Python process that answers questions about files, and is started anew when it dies.
import { spawn } from 'node:child_process';
import { dirname, join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';

const script = join(dirname(fileURLToPath(import.meta.url)), 'reader.py');
const longest = 120_000;

export class Reader {
  #child = null;
  #waiting = null;

  #start() {
    this.#child = spawn('/usr/bin/python3', [script], { stdio: ['pipe', 'pipe', 'ignore'] });
    createInterface({ input: this.#child.stdout }).on('line', (line) => this.#waiting?.(JSON.parse(line)));
    this.#child.on('exit', () => {
      this.#child = null;
      this.#waiting?.({ error: 'the reader ended' });
    });
  }

  /** One question, one answer; questions are asked one after the other. */
  ask(question) {
    if (!this.#child) this.#start();
    return new Promise((resolve) => {
      const timer = setTimeout(() => this.#child?.kill('SIGKILL'), longest);
      this.#waiting = (answer) => {
        clearTimeout(timer);
        this.#waiting = null;
        resolve(answer);
      };
      this.#child.stdin.write(`${JSON.stringify(question)}\n`);
    });
  }

  close() {
    this.#child?.stdin.end();
  }
}
