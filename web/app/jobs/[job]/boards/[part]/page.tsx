import { BoardPage } from '@/boards/BoardPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string; part: string }> }) {
  const { job, part } = await params;
  return <BoardPage jobId={job} partId={part} />;
}
