import { Jobs } from '@/jobs/Jobs.tsx';

export default function Page() {
  return <Jobs />;
}
