import type { FileView } from '@tall-kite/server/jobs/jobs';

/** A written file and its evidence, to be fetched or printed. */
export function FileLinks({ file }: { file: FileView }) {
  return (
    <>
      <a className="plain" href={`/api/files/${file.id}`} download data-test="download">
        Download {file.fileName}
      </a>
      <a className="plain" href={`/api/files/${file.id}/evidence`} download>
        Evidence as JSON
      </a>
      <a className="plain" href={`/api/files/${file.id}/evidence?as=page`} target="_blank" rel="noreferrer">
        Evidence to print
      </a>
    </>
  );
}
