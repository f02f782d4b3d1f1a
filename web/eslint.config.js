import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

export default ts.config(
  { ignores: ['dist/', 'src/lib/api/schema.d.ts', 'test-results/'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...svelte.configs.recommended,
  prettier,
  ...svelte.configs.prettier,
  { languageOptions: { globals: { ...globals.browser, ...globals.node } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig } },
    rules: { 'svelte/no-navigation-without-resolve': 'off' },
  },
  {
    files: ['src/**'],
    ignores: ['src/lib/api/**'],
    rules: { 'no-restricted-globals': ['error', { name: 'fetch', message: 'Use $lib/api/client.' }] },
  },
);
