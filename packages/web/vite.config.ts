import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

/** Where the desk answers while the interface is worked on (npm run dev). */
const desk = `http://127.0.0.1:${process.env.HAND_POST_PORT ?? 4710}`

export default defineConfig({
  server: {
    proxy: {
      '/api': {
        target: desk,
        changeOrigin: true,
        // The desk answers pages of its own only; these are, though Vite serves them.
        headers: { origin: desk },
      },
    },
  },
  plugins: [react(), tailwindcss()],
  build: {
    target: 'es2023',
    chunkSizeWarningLimit: 900,
    // The desk's content policy takes fonts as files only, and each is fetched when a character of it is shown.
    assetsInlineLimit: (file) => (/\.woff2?$/.test(file) ? false : undefined),
  },
})
