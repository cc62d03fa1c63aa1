import { LedgerPage } from '@/ledger/LedgerPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <LedgerPage jobId={(await params).job} />;
}
