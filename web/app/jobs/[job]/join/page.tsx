import { operationForms } from 'tall-kite/operations/registry';
import { JoinPage } from '@/join/JoinPage.tsx';

export default async function Page({ params }: { params: Promise<{ job: string }> }) {
  return <JoinPage jobId={(await params).job} forms={operationForms()} />;
}
