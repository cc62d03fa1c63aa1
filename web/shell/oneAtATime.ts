/**
 * Asks again what a page knows, once however often it is told that something changed: the first word waits a little for more of its kind, and a word that
 * comes while an answer is on its way asks once more after it. An answer is never thrown away for a newer question, so a page goes on also where answers
 * take longer than changes take to come.
 * @param ask fetches, and is done when the answer is there
 * @param waitMs how long the first word waits, ms
 * @example const news = oneAtATime(refresh, 400); news.heard(); news.stop();
 */
export function oneAtATime(ask: () => Promise<unknown>, waitMs: number): { heard: () => void; stop: () => void } {
  let timer: ReturnType<typeof setTimeout> | null = null;
  let asking = false;
  let again = false;
  let ended = false;
  const begin = () => {
    timer = null;
    asking = true;
    again = false;
    const done = () => {
      asking = false;
      if (again && !ended) heard();
    };
    ask().then(done, done);
  };
  const heard = () => {
    if (asking) again = true;
    else timer ??= setTimeout(begin, waitMs);
  };
  const stop = () => {
    ended = true;
    if (timer) clearTimeout(timer);
  };
  return { heard, stop };
}
