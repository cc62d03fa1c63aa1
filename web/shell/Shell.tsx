'use client';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { ConfigProvider, theme as antTheme } from 'antd';
import { createContext, useCallback, useContext, useEffect, useMemo, useState, type ReactNode } from 'react';
import { UnitProvider } from './unit.tsx';

export type Theme = 'light' | 'dark';
const ThemeContext = createContext<{ theme: Theme; turn: () => void }>({ theme: 'light', turn: () => {} });

/** The theme in force and how to turn it. */
export const useTheme = () => useContext(ThemeContext);

const inks: Record<Theme, { colorPrimary: string; colorBgBase: string; colorTextBase: string }> = {
  light: { colorPrimary: '#27489f', colorBgBase: '#fffefa', colorTextBase: '#1b2440' },
  dark: { colorPrimary: '#9db8ff', colorBgBase: '#1c2230', colorTextBase: '#e9e7e0' },
};

/** Buttons are ink on paper: an outline, filled only for what goes on. */
const button = {
  defaultBorderColor: 'var(--none)',
  defaultBg: 'var(--sheet)',
  defaultColor: 'var(--ink)',
  defaultHoverBg: 'var(--faint)',
  defaultHoverBorderColor: 'var(--ink)',
  defaultHoverColor: 'var(--ink)',
  defaultShadow: 'none',
  primaryShadow: 'none',
  paddingInline: 12,
  paddingInlineSM: 8,
  contentFontSize: 14,
  contentFontSizeSM: 13,
};

/** What every page stands in: theme, Ant Design's tokens, the store of what came from the server. */
export function Shell({ children }: { children: ReactNode }) {
  const [theme, setTheme] = useState<Theme>('light');
  const [client] = useState(() => new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: true, staleTime: 1000 } } }));
  useEffect(() => {
    setTheme(document.documentElement.dataset.theme === 'dark' ? 'dark' : 'light');
  }, []);
  const turn = useCallback(() => {
    setTheme((now) => {
      const next = now === 'dark' ? 'light' : 'dark';
      document.documentElement.dataset.theme = next;
      localStorage.setItem('tall-kite-theme', next);
      return next;
    });
  }, []);
  const value = useMemo(() => ({ theme, turn }), [theme, turn]);
  return (
    <ThemeContext.Provider value={value}>
      <ConfigProvider
        // What was pressed shows what came of it at once; waves would go on over the page for two seconds.
        wave={{ disabled: true }}
        theme={{
          algorithm: theme === 'dark' ? antTheme.darkAlgorithm : antTheme.defaultAlgorithm,
          token: {
            ...inks[theme],
            // Words on a filled button: paper in the light, slate in the dark, so that both can be read.
            colorTextLightSolid: theme === 'dark' ? '#161b25' : '#fffefa',
            colorBorder: theme === 'dark' ? '#8c93a3' : '#666c7c',
            colorTextPlaceholder: theme === 'dark' ? '#a8aebd' : '#555c6e',
            colorBgContainer: inks[theme].colorBgBase,
            colorBgElevated: theme === 'dark' ? '#272e3d' : '#fffefa',
            colorLink: inks[theme].colorPrimary,
            colorLinkHover: inks[theme].colorPrimary,
            fontFamily: 'var(--words)',
            fontSize: 15,
            borderRadius: 3,
            boxShadow: 'none',
            boxShadowSecondary: 'none',
          },
          components: {
            Button: {
              ...button,
              colorPrimary: theme === 'dark' ? '#e9e7e0' : '#1b2440',
              colorPrimaryHover: inks[theme].colorPrimary,
              colorPrimaryActive: inks[theme].colorPrimary,
            },
            Collapse: { headerPadding: '6px 0', contentPadding: '4px 0 8px' },
            Form: { itemMarginBottom: 10 },
            Dropdown: { paddingBlock: 6 },
            Segmented: {
              trackBg: 'transparent',
              itemColor: inks[theme].colorTextBase,
              itemSelectedBg: theme === 'dark' ? '#e9e7e0' : '#1b2440',
              itemSelectedColor: theme === 'dark' ? '#161b25' : '#fffefa',
            },
            Table: { headerBg: 'transparent', headerSplitColor: 'transparent', cellPaddingInlineSM: 10 },
          },
        }}
      >
        <QueryClientProvider client={client}>
          <UnitProvider>{children}</UnitProvider>
        </QueryClientProvider>
      </ConfigProvider>
    </ThemeContext.Provider>
  );
}
