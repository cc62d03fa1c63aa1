import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { oneAtATime } from '../shell/oneAtATime.ts';

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

/** Answers that take so long, counted when they are asked for and when they are there. */
function slow(ms: number) {
  const counts = { asked: 0, answered: 0, most: 0 };
  const ask = async () => {
    counts.asked++;
    counts.most = Math.max(counts.most, counts.asked - counts.answered);
    await new Promise((done) => setTimeout(done, ms));
    counts.answered++;
  };
  return { ask, counts };
}

describe('what a page knows is asked for once at a time', () => {
  test('many words at once are one question, the first of them waiting', async () => {
    const { ask, counts } = slow(10);
    const { heard } = oneAtATime(ask, 120);
    for (let i = 0; i < 50; i++) heard();
    await vi.advanceTimersByTimeAsync(119);
    expect(counts.asked).toBe(0);
    await vi.advanceTimersByTimeAsync(1000);
    expect(counts).toEqual({ asked: 1, answered: 1, most: 1 });
  });

  test('words that come faster than answers take: each answer arrives, never two on their way, and the last word is answered', async () => {
    const { ask, counts } = slow(2000);
    const { heard } = oneAtATime(ask, 100);
    for (let i = 0; i < 100; i++) {
      heard();
      await vi.advanceTimersByTimeAsync(100);
    }
    // 10 s of words, an answer every 2.1 s.
    expect(counts.answered).toBeGreaterThanOrEqual(4);
    expect(counts.most).toBe(1);
    const before = counts.asked;
    await vi.advanceTimersByTimeAsync(10_000);
    expect(counts.asked).toBe(before + 1);
    expect(counts.answered).toBe(counts.asked);
  });

  test('an answer that fails does not end it, and nothing is asked after the end', async () => {
    let asked = 0;
    const { heard, stop } = oneAtATime(async () => {
      asked++;
      throw new Error('no answer');
    }, 10);
    heard();
    await vi.advanceTimersByTimeAsync(20);
    heard();
    await vi.advanceTimersByTimeAsync(20);
    expect(asked).toBe(2);
    heard();
    stop();
    await vi.advanceTimersByTimeAsync(1000);
    expect(asked).toBe(2);
  });
});
