import { StandingPage } from '@/standing/StandingPage.tsx';

export default function Page() {
  return <StandingPage />;
}
