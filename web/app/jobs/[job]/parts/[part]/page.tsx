import { LightTablePage } from '@/light-table/LightTablePage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string; part: string }> }) {
  const { job, part } = await params;
  return <LightTablePage jobId={job} partId={part} />;
}
