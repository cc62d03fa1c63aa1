import regexp from 'eslint-plugin-regexp';
import tseslint from 'typescript-eslint';

const upward = (names, message) => ({ 'no-restricted-imports': ['error', { patterns: [{ group: names, message }] }] });

/** Checks of the code. The houses import in one direction only: web -> server -> core. */
export default tseslint.config(
  { ignores: ['**/node_modules/**', '**/dist/**', '**/.next/**', 'web/public/**', 'data/**', '.truth/**', '**/next-env.d.ts'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      'no-console': 'off',
      eqeqeq: 'error',
      'no-var': 'error',
      'prefer-const': 'error',
      'no-control-regex': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_+$' }],
    },
  },
  {
    // Functions that a reader holds in mind at once. None is let off.
    files: ['core/src/**/*.ts', 'server/src/**/*.ts', 'web/**/*.{ts,tsx}', 'demo/src/**/*.ts'],
    rules: {
      complexity: ['error', 15],
      'max-params': ['error', 4],
      'max-lines-per-function': ['error', { max: 100, skipBlankLines: true, skipComments: true }],
    },
  },
  {
    // Text comes from foreign files: no expression may go over it more than once.
    files: ['core/src/**/*.ts', 'server/src/**/*.ts', 'web/**/*.{ts,tsx}', 'demo/src/**/*.ts', 'scripts/**/*.mjs'],
    ignores: ['web/tests/**'],
    plugins: { regexp },
    rules: {
      'regexp/no-super-linear-backtracking': ['error', { report: 'potential' }],
      'regexp/no-super-linear-move': ['error', { report: 'potential' }],
      'regexp/no-misleading-capturing-group': 'error',
      'regexp/no-dupe-disjunctions': 'error',
    },
  },
  {
    files: ['core/src/**/*.ts'],
    rules: upward(
      ['@tall-kite/*', 'react', 'react-dom', 'next', 'next/*', 'kysely', 'pg', 'antd'],
      'The core knows nothing of pages, requests, databases or React.',
    ),
  },
  {
    files: ['server/src/**/*.ts'],
    rules: upward(['@tall-kite/web', '@tall-kite/demo', 'react', 'react-dom', 'next', 'next/*', 'antd'], 'The server knows nothing of pages.'),
  },
  { files: ['**/*.ts'], ignores: ['core/src/kernel/**', 'core/tests/**'], rules: { '@typescript-eslint/no-explicit-any': 'error' } },
);
