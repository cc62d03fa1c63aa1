import { ReleasePage } from '@/releases/ReleasePage.tsx';

export default async function Page({ params }: { params: Promise<{ release: string }> }) {
  return <ReleasePage releaseId={(await params).release} />;
}
