import Link from 'next/link';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import frame from '@/shell/frame.module.css';

/** What a tube is called, and the way to its table: tubes of a job are looked at together, since equal ones are one mark and one may lie on another. */
export function RunPanel({ part, jobId }: { part: PartView; jobId: string }) {
  const tube = part.summary.survey?.tube;
  return (
    <>
      <h2>Straights and bends</h2>
      <p>{tube ? `This is a ${tube}.` : 'It has not been looked through for tubes yet.'}</p>
      <p className="context">
        All tubes of the job are looked at together: equal ones are one mark, mirror images are told apart, and an end may lie on another tube.
      </p>
      <Link className={frame.plain} href={`/jobs/${jobId}/tubes`}>
        Bend tables and files
      </Link>
    </>
  );
}
