'use client';
import { Tabs } from 'antd';
import { useRouter, useSearchParams } from 'next/navigation';
import { Header } from '@/shell/Header.tsx';
import { BendTables } from './BendTables.tsx';
import { DesignsTab } from './designs/DesignsTab.tsx';
import { StoredSheets } from './StoredSheets.tsx';
import style from './stores.module.css';

const tabs = [
  { key: 'designs', label: 'Designs', children: <DesignsTab /> },
  { key: 'stock', label: 'Stock', children: <StoredSheets /> },
  { key: 'bends', label: 'Bend tables', children: <BendTables /> },
];

/** What is kept for reuse: designs, stock, bend tables. */
export function StoresPage() {
  const wanted = useSearchParams().get('of');
  const router = useRouter();
  return (
    <div className="page">
      <Header current="stores" />
      <main id="content">
        <div className="title">
          <h1>Stores</h1>
          <span className="context">What is used again: found by its picture, its name and its tags.</span>
        </div>
        <div className={style.pad}>
          <Tabs
            className={style.tabs}
            activeKey={tabs.some((t) => t.key === wanted) ? wanted! : 'designs'}
            onChange={(key) => router.replace(`/stores?of=${key}`)}
            items={tabs}
            destroyOnHidden
          />
        </div>
      </main>
    </div>
  );
}
