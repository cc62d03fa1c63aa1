// Keeps a child running for as long as it is told to: begun again with growing patience, its state told.

/** First and longest wait before a child is begun again, and how long it must run to count as well again, ms. */
export const usualPatience = { first: 500, longest: 10_000, settled: 30_000 };

/**
 * A child that is always begun again.
 * @param begin starts it: gives what tells of its end (a promise of a sentence) and how to stop it; may throw, which counts as an end
 * @param told called with the state after each change
 * @example keep('A worker', async () => started(...), { told: write })
 */
export function keep(
  name,
  begin,
  { patience = usualPatience, told = () => {}, clock = { now: Date.now, wait: (ms) => new Promise((done) => setTimeout(done, ms)) } } = {},
) {
  const state = { name, state: 'starting', since: new Date(clock.now()).toISOString(), restarts: 0, last: null };
  let stopping = false;
  let running = null;
  let waking = null;
  const become = (change) => {
    Object.assign(state, change, { since: new Date(clock.now()).toISOString() });
    told(state);
  };
  const loop = (async () => {
    let wait = patience.first;
    while (!stopping) {
      let began = clock.now();
      try {
        running = await begin();
        began = clock.now();
        if (stopping) {
          // Told to stop while it was being begun.
          await running.stop();
          break;
        }
        become({ state: 'up' });
        state.last = await running.ended;
      } catch (thrown) {
        state.last = thrown.message;
      }
      running = null;
      if (stopping) break;
      if (clock.now() - began >= patience.settled) wait = patience.first;
      become({ state: 'waiting', restarts: state.restarts + 1 });
      await Promise.race([clock.wait(wait), new Promise((done) => (waking = done))]);
      wait = Math.min(patience.longest, wait * 2);
      if (!stopping) become({ state: 'starting' });
    }
    become({ state: 'stopped' });
  })();
  return {
    state,
    async stop() {
      stopping = true;
      waking?.();
      await running?.stop();
      await loop;
    },
  };
}
