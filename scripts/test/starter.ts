// A start command in small: a database and the stand-in, which say where they are, and then nothing more.
import { programOf, startChild, startMariaDb } from '@jolt-gate/scripts'

const [folder = ''] = process.argv.slice(2)
await startMariaDb(folder, 'kept')
const { origin } = await startChild([...programOf('stand-ins/ferries'), '--port', '0'])
process.stdout.write(`answers at ${origin}\n`)
