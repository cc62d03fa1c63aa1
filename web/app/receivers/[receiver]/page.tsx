import { notFound } from 'next/navigation';
import { receiversOf } from '@tall-kite/server/stores/receivers';
import { InboxPage } from '@/releases/InboxPage.tsx';
import { context } from '@/server/context.ts';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ receiver: string }> }) {
  const { receiver } = await params;
  const rules = (await receiversOf(context().db, true)).find((r) => r.id === receiver);
  if (!rules) notFound();
  return <InboxPage receiver={rules.id} name={rules.name} process={rules.process} />;
}
