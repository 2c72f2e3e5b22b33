// Starting and stopping a server; `main.ts` is its command line.
import { createServer } from 'node:http'
import { createApp } from './app.js'
import { migratorOf, openDatabase, type DatabaseAddress } from './database/connect.js'
import { openProject } from './projects/routes.js'
import { closeAbandoned, RunLine } from './runs/line.js'

export { migratorOf, openDatabase, type DatabaseAddress } from './database/connect.js'

export interface ServerOptions {
  database: DatabaseAddress
  /** 0 chooses a free port. */
  port: number
  /** Folder of the built application. */
  pages: string | undefined
  /** Working copies that are open from the start. */
  projects: string[]
}

export interface JoltServer {
  origin: string
  stop(): Promise<void>
}

/** Starts the server on loopback, with its database brought up to date. */
export async function startServer(options: ServerOptions): Promise<JoltServer> {
  const sequelize = openDatabase(options.database)
  await migratorOf(sequelize).up()
  await closeAbandoned()
  for (const path of options.projects) await openProject(path)
  const line = new RunLine()
  const server = createServer(createApp(line, options.pages))
  const port = await new Promise<number>((resolve, reject) => {
    server.once('error', reject)
    server.listen(options.port, '127.0.0.1', () => {
      const address = server.address()
      resolve(typeof address === 'object' && address !== null ? address.port : options.port)
    })
  })
  return {
    origin: `http://127.0.0.1:${String(port)}`,
    async stop() {
      await line.close()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
      await sequelize.close()
    },
  }
}
