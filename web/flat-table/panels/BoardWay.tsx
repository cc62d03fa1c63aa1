import Link from 'next/link';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import frame from '@/shell/frame.module.css';

/** The way to the page where a drawing becomes a board. */
export function BoardWay({ part, jobId }: { part: PartView; jobId: string }) {
  return (
    <>
      <h2>A board of this drawing</h2>
      <p>The outermost contour is its edge; what lies inside becomes holes, slots and cut-outs, open lines its legend.</p>
      <p className="context">
        Each contour says what it is taken for, and why. The board is shown as its shop reads it, from both sides, before anything is ordered.
      </p>
      <Link className={frame.plain} href={`/jobs/${jobId}/boards/${part.id}`} data-test="to-board">
        Layers and files of the board
      </Link>
    </>
  );
}
