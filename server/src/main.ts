// node dist/main.js --socket S --database jolt_gate --port 7700 --pages web/dist --project DIR
import { userInfo } from 'node:os'
import { parseArgs } from 'node:util'
import { startServer } from './index.js'

const { values } = parseArgs({
  options: {
    socket: { type: 'string' },
    database: { type: 'string', default: 'jolt_gate' },
    port: { type: 'string', default: '0' },
    pages: { type: 'string' },
    project: { type: 'string', multiple: true, default: [] },
  },
})
if (values.socket === undefined) {
  process.stderr.write('--socket is needed: the socket of MariaDB\n')
  process.exit(2)
}
const server = await startServer({
  database: { socketPath: values.socket, user: userInfo().username, database: values.database },
  port: Number(values.port),
  pages: values.pages,
  projects: values.project,
})
process.stdout.write(`Jolt Gate answers at ${server.origin}\n`)
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.once(signal, () => {
    void server.stop().then(() => process.exit(0))
  })
}
