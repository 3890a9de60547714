import vue from '@vitejs/plugin-vue'
import AutoImport from 'unplugin-auto-import/vite'
import { ElementPlusResolver } from 'unplugin-vue-components/resolvers'
import Components from 'unplugin-vue-components/vite'
import { defineConfig } from 'vite'

const api = 'http://localhost:7600'

export default defineConfig({
  plugins: [
    vue(),
    AutoImport({ resolvers: [ElementPlusResolver()], dts: 'src/auto-imports.d.ts' }),
    Components({ resolvers: [ElementPlusResolver()], dirs: [], dts: 'src/components.d.ts' }),
  ],
  build: {
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      // Public pages are read on telephones: they load the base alone.
      input: ['index.html', 'form.html', 'shared.html', 'sign.html'],
      output: {
        codeSplitting: {
          groups: [
            { name: 'base', test: /node_modules[\\/](@?vue[\\/]|@fontsource|openapi-fetch)/, priority: 2 },
            { name: 'pad', test: /node_modules[\\/]signature_pad/, priority: 2 },
            { name: 'pdf', test: /node_modules[\\/]pdfjs-dist/, priority: 2 },
            {
              name: 'editor',
              test: /node_modules[\\/](@tiptap|prosemirror|orderedmap|rope-sequence|w3c-keyname|linkifyjs)/,
              priority: 3,
            },
            { name: 'kit', test: /node_modules/, priority: 1 },
          ],
        },
      },
    },
  },
  server: {
    port: 7601,
    proxy: {
      '/api': {
        target: api,
        changeOrigin: true,
        configure: (proxy) => proxy.on('proxyReq', (request) => request.setHeader('origin', api)),
      },
    },
  },
})
