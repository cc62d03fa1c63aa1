'use client';
import { Modal } from 'antd';
import type { ReactNode } from 'react';

/** A dialog that closes with Escape and gives focus back. Loaded only when one is opened. */
export function Dialog({ title, close, children }: { title: string; close: () => void; children: ReactNode }) {
  return (
    <Modal open title={title} onCancel={close} footer={null} width={480} transitionName="" maskTransitionName="">
      {children}
    </Modal>
  );
}
