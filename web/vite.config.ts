import vue from '@vitejs/plugin-vue'
import { defaultClientConditions, defineConfig } from 'vite'

const api = process.env['JOLT_GATE_API']

export default defineConfig({
  plugins: [vue()],
  worker: { format: 'es' },
  build: { chunkSizeWarningLimit: 1200, rolldownOptions: { checks: { bundlerTimings: false } } },
  // The rooms that pages stand on are read from their sources, never from what was built of them before.
  resolve: {
    conditions: ['jolt-gate-source', ...defaultClientConditions],
    alias: {
      // What this package names for browsers is a script, not a module.
      'iregexp-check': 'iregexp-check/dist/iregexp-check.esm.js',
      // And this one has its form for browsers under a name of its own.
      'yargs-parser': 'yargs-parser/browser',
    },
  },
  server: {
    host: '127.0.0.1',
    // The host stays as the browser named it: the server compares it with the page's origin.
    ...(api === undefined ? {} : { proxy: { '/api': api } }),
  },
})
