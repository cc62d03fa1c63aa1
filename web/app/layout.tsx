import '@fontsource-variable/source-sans-3';
import '@fontsource-variable/jetbrains-mono';
import './globals.css';
import '@/shell/antd.css';
import { AntdRegistry } from '@ant-design/nextjs-registry';
import { headers } from 'next/headers';
import type { ReactNode } from 'react';
import { Shell } from '@/shell/Shell.tsx';

export const metadata = { title: 'Tall Kite', description: 'Files for machines, proved from their own bytes.' };

/** Sets the theme before anything is drawn, from what this browser chose last. */
const themeFirst = `try{var t=localStorage.getItem('tall-kite-theme')||(matchMedia('(prefers-color-scheme: dark)').matches?'dark':'light');document.documentElement.dataset.theme=t}catch(e){}`;

export default async function Layout({ children }: { children: ReactNode }) {
  const nonce = (await headers()).get('x-nonce') ?? undefined;
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        <script nonce={nonce} suppressHydrationWarning dangerouslySetInnerHTML={{ __html: themeFirst }} />
      </head>
      <body>
        <AntdRegistry>
          <Shell>{children}</Shell>
        </AntdRegistry>
      </body>
    </html>
  );
}
