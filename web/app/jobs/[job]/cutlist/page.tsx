import { CutListPage } from '@/cutlist/CutListPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <CutListPage jobId={(await params).job} />;
}
