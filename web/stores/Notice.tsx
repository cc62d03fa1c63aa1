import { Button } from 'antd';
import frame from '@/shell/frame.module.css';

/** What came of something that was done in the stores; `undo` when it can be taken back. */
export interface Told {
  message: string;
  remedy: string;
  undo?: () => void;
}

/** The notice of what came of it. */
export function Notice({ told, close }: { told: Told | null; close: () => void }) {
  if (!told) return null;
  return (
    <div className={frame.notice} data-test="notice" role="status">
      <span className="grow">
        <b>{told.message}</b> {told.remedy}
      </span>
      {told.undo && (
        <Button size="small" onClick={told.undo}>
          Undo
        </Button>
      )}
      <Button size="small" onClick={close}>
        Close
      </Button>
    </div>
  );
}
