'use client';
import { Modal } from 'antd';
import type { ReactNode } from 'react';

/** A dialog that closes with Escape and gives focus back. Loaded only when one is opened. */
export function Dialog({ title, close, width = 480, children }: { title: string; close: () => void; width?: number; children: ReactNode }) {
  return (
    <Modal open title={title} onCancel={close} footer={null} width={width} centered transitionName="" maskTransitionName="">
      {children}
    </Modal>
  );
}
