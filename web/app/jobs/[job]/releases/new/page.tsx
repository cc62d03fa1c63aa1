import { context } from '@/server/context.ts';
import { NewRelease } from '@/releases/NewRelease.tsx';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <NewRelease jobId={(await params).job} folder={context().settings.releaseDir !== null} />;
}
