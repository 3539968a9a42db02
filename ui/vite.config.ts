import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { assetsInlineLimit: 0 },
  server: { proxy: { '/api': process.env.FAIRLAY_SERVER ?? 'http://127.0.0.1:8350' } },
})
