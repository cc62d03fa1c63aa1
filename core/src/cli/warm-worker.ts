import { main } from './main.ts';
import type { Reply } from './warm.ts';

/** What `tall-kite serve` hands over to the process that works. */
interface Work {
  argv: string[];
  cwd: string;
}

/** Sends what is said in order; the code comes last. */
const say = (reply: Reply) => process.send?.(reply);

process.on('message', ({ argv, cwd }: Work) => {
  const work = async () => {
    process.chdir(cwd);
    return main(argv, (out) => say({ out }), (err) => say({ err })); // prettier-ignore
  };
  work().then(
    (code) => say({ code, memory: process.memoryUsage.rss() }),
    (thrown: Error) => {
      say({ err: `${thrown.message}\n` });
      say({ code: 2, memory: process.memoryUsage.rss() });
    },
  );
});
// A parent that is gone has no more work.
process.on('disconnect', () => process.exit());
// What nearly every word needs is there before it is asked for.
void import('./inspect.ts');
void import('./write.ts');
