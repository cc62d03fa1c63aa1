import { PrintedReport } from '@/releases/PrintedReport.tsx';

export default async function Page({ params }: { params: Promise<{ release: string }> }) {
  return <PrintedReport releaseId={(await params).release} />;
}
