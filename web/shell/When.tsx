/** A moment as people read it: day and minute, in UTC. */
export function When({ at, seconds = false }: { at: string; seconds?: boolean }) {
  return (
    <time className="figure nowrap" dateTime={at}>
      {at.slice(0, seconds ? 19 : 16).replace('T', ' ')} UTC
    </time>
  );
}
