import vue from '@vitejs/plugin-vue'
import { defaultClientConditions, defineConfig } from 'vite'

const api = process.env['JOLT_GATE_API']

export default defineConfig(({ command }) => ({
  plugins: [vue()],
  worker: { format: 'es' },
  build: { chunkSizeWarningLimit: 1200 },
  // While developing, the rooms that pages stand on are read from their sources, so that a change shows at once.
  resolve: {
    conditions: [...(command === 'serve' ? ['source'] : []), ...defaultClientConditions],
    // What this package names for browsers is a script, not a module.
    alias: { 'iregexp-check': 'iregexp-check/dist/iregexp-check.esm.js' },
  },
  server: {
    host: '127.0.0.1',
    // The host stays as the browser named it: the server compares it with the page's origin.
    ...(api === undefined ? {} : { proxy: { '/api': api } }),
  },
}))
