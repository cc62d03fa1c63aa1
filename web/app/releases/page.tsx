import { AllReleases } from '@/releases/ReleaseList.tsx';

export default function Page() {
  return <AllReleases />;
}
