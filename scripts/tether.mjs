// Loaded into every child of the supervisor: it ends when the supervisor is gone, also after a kill -9.
const parent = process.ppid;
setInterval(() => {
  if (process.ppid !== parent) process.exit(1);
}, 500).unref();
