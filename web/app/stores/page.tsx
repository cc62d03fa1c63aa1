import { Suspense } from 'react';
import { StoresPage } from '@/stores/StoresPage.tsx';

export default function Page() {
  return (
    <Suspense>
      <StoresPage />
    </Suspense>
  );
}
