// A start command in small: a database and the stand-in, which say where they are, and then nothing more.
import { fileURLToPath } from 'node:url'
import { FROM_SOURCES, startChild, startMariaDb } from '@jolt-gate/scripts'

const [folder = ''] = process.argv.slice(2)
const ferries = fileURLToPath(new URL('../../stand-ins/ferries/src/main.ts', import.meta.url))
await startMariaDb(folder, 'kept')
const { origin } = await startChild([...FROM_SOURCES, ferries, '--port', '0'])
process.stdout.write(`answers at ${origin}\n`)
