'use client';
import { Tabs } from 'antd';
import { useRouter, useSearchParams } from 'next/navigation';
import { Header } from '@/shell/Header.tsx';
import { BendTables } from './BendTables.tsx';
import { DesignsTab } from './designs/DesignsTab.tsx';
import { Fonts } from './Fonts.tsx';
import { Materials } from './Materials.tsx';
import { StoredSheets } from './StoredSheets.tsx';
import frame from '@/shell/frame.module.css';
import style from './stores.module.css';

const tabs = [
  { key: 'designs', label: 'Designs', children: <DesignsTab /> },
  { key: 'stock', label: 'Stock', children: <StoredSheets /> },
  { key: 'materials', label: 'Materials', children: <Materials /> },
  { key: 'bends', label: 'Bend tables', children: <BendTables /> },
  { key: 'fonts', label: 'Fonts', children: <Fonts /> },
];

/** What is kept for reuse: designs, stock, materials, bend tables, fonts. */
export function StoresPage() {
  const wanted = useSearchParams().get('of');
  const router = useRouter();
  return (
    <div className={frame.page}>
      <Header current="stores" />
      <main id="content">
        <div className={frame.title}>
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
