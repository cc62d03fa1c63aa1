'use client';
import { Button } from 'antd';
import Link from 'next/link';
import { useState } from 'react';
import { personUnits, type PersonUnit } from 'tall-kite/base/lengths';
import { Choice } from './controls.tsx';
import { Keys, useShortcuts } from './Keys.tsx';
import { useTheme } from './Shell.tsx';
import { useLengths } from './unit.tsx';
import frame from './frame.module.css';

/** The line at the top of every page. */
export function Header({ where, jobId, current }: { where?: string; jobId?: string; current: 'jobs' | 'releases' | 'receivers' | 'stores' | 'help' }) {
  const { theme, turn } = useTheme();
  const { unit, setUnit } = useLengths();
  const [keys, setKeys] = useState(false);
  useShortcuts({ '?': () => setKeys(true) });
  return (
    <header className={frame.head}>
      <a className={frame.skip} href="#content">
        Go to the content
      </a>
      <Link href="/" className={frame.brand}>
        <svg width="22" height="26" viewBox="0 0 22 26" aria-hidden="true">
          <path d="M11 1 20 11 11 22 2 11Z M11 1V22 M2 11H20" fill="none" stroke="currentColor" strokeWidth="1.6" strokeLinejoin="round" />
          <path d="M11 22q-3 1.5 0 3.5" fill="none" stroke="var(--received)" strokeWidth="1.6" />
        </svg>
        Tall Kite
      </Link>
      {where &&
        (jobId ? (
          <Link href={`/jobs/${jobId}`} className={`context ${frame.jobname}`}>
            {where}
          </Link>
        ) : (
          <span className="context">{where}</span>
        ))}
      <nav aria-label="Main">
        <Link href="/" aria-current={current === 'jobs' ? 'page' : undefined}>
          Jobs
        </Link>
        <Link href="/releases" aria-current={current === 'releases' ? 'page' : undefined}>
          Releases
        </Link>
        <Link href="/stores" aria-current={current === 'stores' ? 'page' : undefined}>
          Stores
        </Link>
        <Link href="/receivers" aria-current={current === 'receivers' ? 'page' : undefined}>
          Receivers
        </Link>
        <Link href="/help" aria-current={current === 'help' ? 'page' : undefined}>
          Help
        </Link>
        <Choice label="Unit of length" value={unit} onChange={(u) => setUnit(u as PersonUnit)} options={personUnits.map((u) => ({ value: u, label: u }))} />
        <Button onClick={turn} size="small" data-test="theme">
          {theme === 'dark' ? 'Light' : 'Dark'} theme
        </Button>
        <Button onClick={() => setKeys(true)} size="small">
          <span className="figure">?</span> keys
        </Button>
      </nav>
      <Keys open={keys} close={() => setKeys(false)} />
    </header>
  );
}
