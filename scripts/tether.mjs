// Loaded into every child of the supervisor: it ends when the supervisor is gone, also after a kill -9.
import { isMainThread } from 'node:worker_threads';

const parent = process.ppid;
// Not in its threads, which load this too: one that ended by itself would be taken for one that its work had killed.
if (isMainThread)
  setInterval(() => {
    if (process.ppid !== parent) process.exit(1);
  }, 500).unref();
