import { SpreadPage } from '@/patches/SpreadPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string; part: string }> }) {
  const { job, part } = await params;
  return <SpreadPage jobId={job} partId={part} />;
}
