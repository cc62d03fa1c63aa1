import { notFound } from 'next/navigation';
import { receivers } from 'tall-kite/receivers/receivers';
import { InboxPage } from '@/releases/InboxPage.tsx';

export default async function Page({ params }: { params: Promise<{ receiver: string }> }) {
  const { receiver } = await params;
  if (!receivers.some((r) => r.id === receiver)) notFound();
  return <InboxPage receiver={receiver} />;
}
