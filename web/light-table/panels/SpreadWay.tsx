import Link from 'next/link';
import type { PartView } from '@tall-kite/server/jobs/part-views';
import { MarkShape } from '@/marks/Mark.tsx';
import frame from '@/shell/frame.module.css';

/** The way to the page where a surface is spread flat, and the flat that came of it. */
export function SpreadWay({ part, jobId }: { part: PartView; jobId: string }) {
  const made = part.strands.find((s) => s.way === 'spread')?.made;
  return (
    <>
      <h2>Spread flat</h2>
      {made && (
        <p>
          <MarkShape mark="clear" size={12} /> Its flat is <Link href={made.id}>{made.name}</Link>.
        </p>
      )}
      <p>Faces are chosen, cut into pieces where that helps, and laid flat; what is stretched is shown on the surface and on the flat.</p>
      <p className="context">
        Both sides of a seam come out as long as each other. The flat is kept as a drawing of its own, and its files are laid onto the surface again.
      </p>
      <Link className={frame.plain} href={`/jobs/${jobId}/spread/${part.id}`} data-test="to-spread">
        Choose faces and spread them
      </Link>
    </>
  );
}
