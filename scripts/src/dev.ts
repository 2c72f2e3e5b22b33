// `npm run dev`: the same stage as `npm start`, from sources. Vite serves the pages and reloads what changes; the
// server starts again when one of its files, or of the rooms below it, changes. Nothing is built.
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { execa } from 'execa'
import { startChild, type Child } from './children.js'
import { DEMO_ENVIRONMENT } from './demo.js'
import { freePort } from './ports.js'
import { FROM_SOURCES } from './sources.js'
import { root, setStage, whileRunning } from './stage.js'

const SERVER_PORT = 7701
const PAGES_PORT = 7700

const beganMs = performance.now()
await whileRunning(async (running) => {
  const ferriesProgram = [...FROM_SOURCES, join(root, 'stand-ins/ferries/src/main.ts')]
  const { ferries, serverArgs } = await setStage(running, ferriesProgram, [
    ...FROM_SOURCES,
    join(root, 'cli/src/main.ts'),
  ])
  const watch = [createRequire(import.meta.url).resolve('tsx/cli'), 'watch', '--clear-screen=false']
  const program = [...watch, '--conditions=jolt-gate-source', join(root, 'server/src/main.ts')]
  const port = ['--port', String(await freePort(SERVER_PORT))]
  const server = running.add(await startChild([...program, ...serverArgs, ...port], DEMO_ENVIRONMENT))
  const pages = running.add(await servePages(await freePort(PAGES_PORT), server.origin))
  process.stdout.write(`
Jolt Gate, from sources: ${pages.origin} (up in ${((performance.now() - beganMs) / 1000).toFixed(1)} s)
API: ${server.origin}
Larkholm Ferries, the stand-in under test: ${ferries.origin}
Press Ctrl-C to stop all.
`)
})

/** Vite with hot reload; it passes what belongs to the API on to the server. */
async function servePages(port: number, server: string): Promise<Omit<Child, 'setupCode'>> {
  const origin = `http://127.0.0.1:${String(port)}`
  const vite = execa('npx', ['--no-install', 'vite', 'web', '--port', String(port), '--strictPort'], {
    cwd: root,
    env: { JOLT_GATE_API: server },
    stdin: 'ignore',
    stdout: 'ignore',
    stderr: 'inherit',
    reject: false,
    detached: true,
  })
  process.once('exit', () => vite.kill('SIGTERM'))
  const state = { hasEnded: false }
  void vite.finally(() => (state.hasEnded = true))
  while (
    !(await fetch(origin).then(
      (page) => page.ok,
      () => false,
    ))
  ) {
    if (state.hasEnded) throw new Error('Vite ended before it answered')
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  return {
    origin,
    ended: vite.then(() => 'Vite ended'),
    async stop() {
      if (vite.pid !== undefined) process.kill(-vite.pid, 'SIGTERM')
      await vite
    },
  }
}
