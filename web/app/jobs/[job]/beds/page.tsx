import { BedsPage } from '@/beds/BedsPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <BedsPage jobId={(await params).job} />;
}
