import { TubesPage } from '@/tubes/TubesPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <TubesPage jobId={(await params).job} />;
}
