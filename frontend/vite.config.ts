import { copyFileSync, mkdirSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import vue from '@vitejs/plugin-vue'
import type { Plugin } from 'vite'
import { defineConfig } from 'vitest/config'

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url))

/** Ships the scripts of the API documentation, so that /docs works without a network. */
function apiDocs(): Plugin {
  return {
    name: 'api-docs',
    closeBundle() {
      mkdirSync(here('dist/api-docs'), { recursive: true })
      for (const file of ['swagger-ui.css', 'swagger-ui-bundle.js']) {
        copyFileSync(here(`node_modules/swagger-ui-dist/${file}`), here(`dist/api-docs/${file}`))
      }
      writeFileSync(
        here('dist/api-docs/start.js'),
        "SwaggerUIBundle({ url: '/openapi.json', dom_id: '#swagger-ui', validatorUrl: null })\n",
      )
      copyFileSync(here('src/icon.svg'), here('dist/assets/icon.svg'))
    },
  }
}

export default defineConfig({
  plugins: [vue(), apiDocs()],
  resolve: { alias: { '@': here('src') } },
  test: { environment: 'happy-dom', include: ['tests/*.test.ts'] },
  build: { chunkSizeWarningLimit: 2000, assetsInlineLimit: 0 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8400', ws: true } } },
})
