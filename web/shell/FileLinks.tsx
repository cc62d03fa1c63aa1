import type { FileView } from '@tall-kite/server/jobs/part-views';
import { useAwaited } from './focus.ts';
import frame from './frame.module.css';

/** A written file and its evidence, to be fetched or printed. @param part its number */
export function FileLinks({ file, part }: { file: FileView; part: string }) {
  const download = useAwaited<HTMLAnchorElement>(`file of ${part}`, file.id);
  return (
    <>
      {file.evidence?.verdict === 'stop' && file.evidence.reason && <span className="c-stop">Stop: {file.evidence.reason}</span>}
      <a ref={download} className={frame.plain} href={`/api/files/${file.id}`} download data-test="download">
        {file.evidence?.verdict === 'stop' ? `Take ${file.fileName} even so` : `Download ${file.fileName}`}
      </a>
      <a className={frame.plain} href={`/api/files/${file.id}/evidence`} download>
        Evidence as JSON
      </a>
      <a className={frame.plain} href={`/api/files/${file.id}/evidence?as=page`} target="_blank" rel="noreferrer">
        Evidence to print
      </a>
    </>
  );
}
