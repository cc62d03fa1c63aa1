import { Button } from 'antd';
import { MarkShape } from '@/marks/Mark.tsx';

/** A sentence with its remedy, said where the person looks. */
export function Trouble({ message, remedy, close, children }: { message: string; remedy: string; close?: () => void; children?: React.ReactNode }) {
  return (
    <div className="notice" role="alert">
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
