import { JobReleases } from '@/releases/ReleaseList.tsx';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <JobReleases jobId={(await params).job} />;
}
