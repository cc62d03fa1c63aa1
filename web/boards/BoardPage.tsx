'use client';
import { Button } from 'antd';
import Link from 'next/link';
import { AtWork, atWork, Failed } from '@/light-table/panels/Proposal.tsx';
import { JobPage } from '@/shell/JobPage.tsx';
import { useJob, type JobTools } from '@/shell/useJob.ts';
import { BoardMeanings } from './BoardMeanings.tsx';
import { BoardPanel } from './BoardPanel.tsx';
import { BoardStage } from './BoardStage.tsx';
import { useBoard, type BoardTools } from './useBoard.ts';
import desk from '@/shell/desk.module.css';
import frame from '@/shell/frame.module.css';
import style from './boards.module.css';

/** A drawing as a board: what its contours are, both sides as a shop reads them, its files. */
export function BoardPage({ jobId, partId }: { jobId: string; partId: string }) {
  const tools = useJob(jobId);
  const part = tools.job?.parts.find((p) => p.id === partId);
  return (
    <JobPage
      jobId={jobId}
      tools={tools}
      title="Board"
      about={<span className="context">{part?.name}</span>}
      acts={
        <Link className={frame.plain} href={`/jobs/${jobId}/parts/${partId}`}>
          Light table
        </Link>
      }
    >
      <Body tools={tools} partId={partId} />
    </JobPage>
  );
}

function Body({ tools, partId }: { tools: JobTools; partId: string }) {
  const board = useBoard(tools, partId);
  const { operation, part } = board;
  if (!part || part.summary.kind !== 'drawing')
    return (
      <div className={frame.empty}>
        <h2>{part ? 'This part is no drawing' : 'This part is not there'}</h2>
        <p>A board is made of a drawing: bring in DXF, SVG or PDF, or draw a solid flat first.</p>
      </div>
    );
  if (!operation) return <Begin board={board} />;
  return (
    <>
      <Behind board={board} tools={tools} />
      <div className={`${desk.table} ${style.three}`}>
        <BoardMeanings tools={board} />
        <Stage board={board} tools={tools} />
        <BoardPanel board={board} tools={tools} />
      </div>
    </>
  ); // prettier-ignore
}

/** What a board is made of, before there is one. */
function Begin({ board }: { board: BoardTools }) {
  return (
    <div className={frame.empty}>
      <h2>From an outline to a board</h2>
      <p>
        The outermost closed contour is the edge, circles inside are holes, open lines the legend. What each contour was taken for, and why, stands beside the
        picture and can be changed. Nothing is ordered here: files are written, and read back as a board shop reads them.
      </p>
      <Button type="primary" disabled={!board.shop} onClick={() => void board.make()} data-test="make-board">
        Make the board
      </Button>
    </div>
  );
}

/** Told when what is shown is not what was chosen last, or could not be made. */
function Behind({ board, tools }: { board: BoardTools; tools: JobTools }) {
  const operation = board.operation!;
  const failed = operation.state === 'failed';
  if (atWork(operation)) return null;
  if (!operation.stale && !board.changed && !failed) return null;
  const words = operation.stale ? 'The drawing changed since the board was made.' : 'What was chosen is not in the picture yet.';
  return (
    <div className={frame.notice} data-test="notice" role="status">
      <div className="grow">{failed ? <Failed operation={operation} tools={tools} /> : words}</div>
      <Button size="small" type="primary" onClick={() => void board.make()} data-test="make-again">
        Make it again
      </Button>
    </div>
  );
}

/** The board, or how far it is made. */
function Stage({ board, tools }: { board: BoardTools; tools: JobTools }) {
  const operation = board.operation!;
  if (atWork(operation)) return <div className={frame.empty}><AtWork operation={operation} tools={tools} /></div>; // prettier-ignore
  if (operation.state !== 'ready') return <div />;
  if (!board.fetched || !board.board) return <p className={`context ${frame.waiting}`}>Fetching the board …</p>; // prettier-ignore
  return <BoardStage view={board.board.view} maskColour={board.choice.mask} thickness={board.choice.thickness} />;
}
