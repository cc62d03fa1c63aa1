import Link from 'next/link';
import { Header } from '@/shell/Header.tsx';
import frame from '@/shell/frame.module.css';

/** An address that leads nowhere, with the ways back. */
export default function NotFound() {
  return (
    <div className={frame.page}>
      <Header current="jobs" />
      <main id="content">
        <div className={frame.empty}>
          <h1>There is nothing at this address</h1>
          <p>It may have been removed, or the address was cut short. Removed jobs and designs are kept for 30 days and can be brought back from their lists.</p>
          <Link className={`${frame.plain} ${frame.strong}`} href="/">
            All jobs
          </Link>{' '}
          <Link className={frame.plain} href="/stores">
            Stores
          </Link>{' '}
          <Link className={frame.plain} href="/help">
            Help
          </Link>
        </div>
      </main>
    </div>
  );
}
