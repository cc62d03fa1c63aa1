import { ReliefPage } from '@/reliefs/ReliefPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string; part: string }> }) {
  const { job, part } = await params;
  return <ReliefPage jobId={job} partId={part} />;
}
