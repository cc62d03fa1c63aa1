import { Button } from 'antd';
import { MarkShape } from '@/marks/Mark.tsx';
import frame from './frame.module.css';

/** A sentence with its remedy, said where the person looks. */
export function Trouble({ message, remedy, close, children }: { message: string; remedy: string; close?: () => void; children?: React.ReactNode }) {
  return (
    <div className={frame.notice} data-test="notice" role="alert">
      <MarkShape mark="stop" />
      <div className="grow">
        <b>{message}</b> {remedy}
      </div>
      {children}
      {close && (
        <Button onClick={close} size="small">
          Understood
        </Button>
      )}
    </div>
  );
}
