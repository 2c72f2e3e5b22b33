// Starts the service from a shell: node dist/main.js --port 7710 --places 6 --queue 200 --seed 4711 --flaws
// '{"errors":0.1}'
import { parseArgs } from 'node:util'
import { NO_FLAWS, readFlaws } from './flaws.js'
import { DEFAULTS, startFerries } from './service.js'

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: String(DEFAULTS.port) },
    places: { type: 'string', default: String(DEFAULTS.places) },
    queue: { type: 'string', default: String(DEFAULTS.queue) },
    seed: { type: 'string', default: String(DEFAULTS.seed) },
    flaws: { type: 'string', default: '{}' },
  },
})
const flaws = readFlaws(JSON.parse(values.flaws), NO_FLAWS)
if (typeof flaws === 'string') {
  process.stderr.write(`${flaws}\n`)
  process.exit(2)
}
const ferries = await startFerries({
  port: Number(values.port),
  places: Number(values.places),
  queue: Number(values.queue),
  seed: Number(values.seed),
  flaws,
})
process.stdout.write(`Larkholm Ferries answers at ${ferries.origin}\n`)
const stop = () => {
  void ferries.stop().then(() => process.exit(0))
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, stop)
// The one who started it is gone, killed perhaps.
process.once('disconnect', stop)
