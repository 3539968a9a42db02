import { defineConfig } from 'vite'

/** Builds the modules that know no screen as one script, `modules`, for the tests. */
export default defineConfig({
  define: { 'process.env.NODE_ENV': '"production"' },
  build: {
    lib: {
      entry: '../tests/browser/modules.ts',
      formats: ['iife'],
      name: 'modules',
      fileName: 'modules',
    },
    minify: false,
  },
})
