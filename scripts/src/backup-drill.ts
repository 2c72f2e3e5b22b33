// `npm run backup:drill -- --socket S --to FILE`: makes a backup, restores it into a MariaDB of its own, and compares
// the two table by table. A backup that was never restored is none.
import { parseArgs } from 'node:util'
import { userInfo } from 'node:os'
import { drill } from './backup.js'

const { values } = parseArgs({
  options: {
    socket: { type: 'string' },
    database: { type: 'string', default: 'jolt_gate' },
    'database-user': { type: 'string', default: userInfo().username },
    to: { type: 'string' },
  },
})
const { socket, to } = values
if (socket === undefined || to === undefined) {
  process.stderr.write('--socket is needed, the socket of MariaDB, and --to, the file that the backup is written to\n')
  process.exit(2)
}
const checks = await drill({ socketPath: socket, user: values['database-user'], database: values.database }, to)
const width = Math.max(...checks.map(({ table }) => table.length))
for (const { table, rows, outcome } of checks)
  process.stdout.write(`${table.padEnd(width)}  ${String(rows).padStart(9)}  ${outcome}\n`)
const bad = checks.filter(({ outcome }) => outcome === 'differs').length
process.stdout.write(
  bad === 0
    ? `\n${String(checks.length)} tables restored from ${to}\n`
    : `\n${String(bad)} of ${String(checks.length)} tables differ from what was backed up\n`,
)
process.exitCode = bad === 0 ? 0 : 1
