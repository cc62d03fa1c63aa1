import { inboxCounts } from '@tall-kite/server/releases/inbox';
import { context } from '@/server/context.ts';
import { ReceiversPage } from '@/stores/ReceiversPage.tsx';

export const dynamic = 'force-dynamic';

export default async function Page() {
  return <ReceiversPage counts={await inboxCounts(context().db)} />;
}
