import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { svelteTesting } from '@testing-library/svelte/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), svelte(), svelteTesting()],
  resolve: { alias: { $lib: '/src/lib' } },
  build: {
    outDir: 'dist/app',
    emptyOutDir: true,
    target: 'es2023',
    modulePreload: { polyfill: false },
    rollupOptions: { input: { desk: 'desk.html', member: 'member.html', book: 'book.html' } },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8080' } },
  test: { environment: 'jsdom', include: ['src/**/*.test.ts'], restoreMocks: true },
});
