// `npm start`: database, stand-in, server, demo; everything stops on Ctrl-C.
import { join } from 'node:path'
import { startChild } from './children.js'
import { DEMO_ENVIRONMENT, makeFirstRuns } from './demo.js'
import { freePort } from './ports.js'
import { root, setStage, whileRunning } from './stage.js'

const PORT = 7700

await whileRunning(async (running) => {
  const { ferries, serverArgs } = await setStage(running, [join(root, 'stand-ins/ferries/dist/main.js')])
  const port = ['--port', String(await freePort(PORT))]
  const pages = ['--pages', join(root, 'web/dist')]
  const server = running.add(
    await startChild([join(root, 'server/dist/main.js'), ...serverArgs, ...port, ...pages], DEMO_ENVIRONMENT),
  )
  process.stdout.write(`
Jolt Gate: ${server.origin}
Larkholm Ferries, the stand-in under test: ${ferries.origin}
${server.setupCode === undefined ? '' : `Setup code for an administrator of your own: ${server.setupCode}\n`}Press Ctrl-C to stop both.
At its first start the demo makes a few runs now. That takes about 90 seconds; you can watch.
`)
  await makeFirstRuns(server.origin)
})
