import Link from 'next/link';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape } from '@/marks/Mark.tsx';
import frame from '@/shell/frame.module.css';

/** The way to the page where a relief is set into stock, and the block that came of it. */
export function ReliefWay({ part, jobId }: { part: PartView; jobId: string }) {
  const made = part.strands.find((s) => s.way === 'relief')?.made;
  return (
    <>
      <h2>Relief</h2>
      {made && (
        <p>
          <MarkShape mark="clear" size={12} /> Its block is <Link href={made.id}>{made.name}</Link>.
        </p>
      )}
      <p>It is set into a block or sheet of stock: its size, its zero plane, what lies below, sides and base; alone or with others.</p>
      <p className="context">
        What a bit leaves of it is shown before anything is cut. The block is kept as a part of its own, and its files are read back like any other.
      </p>
      <Link className={frame.plain} href={`/jobs/${jobId}/relief/${part.id}`} data-test="to-relief">
        Set it into stock
      </Link>
    </>
  );
}
