import { inboxCounts } from '@tall-kite/server/releases/inbox';
import { storedReceivers } from '@tall-kite/server/stores/receivers';
import { context } from '@/server/context.ts';
import { ReceiversPage } from '@/stores/ReceiversPage.tsx';

export const dynamic = 'force-dynamic';

export default async function Page() {
  const { db } = context();
  return <ReceiversPage counts={await inboxCounts(db)} first={await storedReceivers(db)} />;
}
