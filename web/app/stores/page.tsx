import { StoresPage } from '@/stores/StoresPage.tsx';

export default function Page() {
  return <StoresPage />;
}
