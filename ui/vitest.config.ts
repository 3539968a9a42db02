import react from '@vitejs/plugin-react'
import { defineConfig } from 'vitest/config'

/** Tests of what needs no browser: reducers and parsers, hooks and parts under jsdom. */
export default defineConfig({
  plugins: [react()],
  test: {
    environment: 'jsdom',
    include: ['src/**/*.test.{ts,tsx}'],
    setupFiles: ['src/testing/server.ts'],
    restoreMocks: true,
  },
})
