// `npm start`: database, stand-in, server, demo; everything stops on Ctrl-C.
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { startBoard } from './board.js'
import { startChild } from './children.js'
import { DEMO_ENVIRONMENT, makeFirstRuns } from './demo.js'
import { freePort } from './ports.js'
import { root, setStage, whileRunning } from './stage.js'
import { addColleague, pipelineToken } from './team.js'

const PORT = 7700

await whileRunning(async (running) => {
  const { ferries, serverArgs, ...stage } = await setStage(
    running,
    [join(root, 'stand-ins/ferries/dist/main.js')],
    [join(root, 'cli/bundle/main.js')],
  )
  const port = ['--port', String(await freePort(PORT))]
  const pages = ['--pages', join(root, 'web/dist')]
  const server = running.add(
    await startChild([join(root, 'server/dist/main.js'), ...serverArgs, ...port, ...pages], DEMO_ENVIRONMENT),
  )
  process.stdout.write(`
Jolt Gate: ${server.origin}
Larkholm Ferries, the stand-in under test: ${ferries.origin}
${server.setupCode === undefined ? '' : `Setup code for an administrator of your own: ${server.setupCode}\n`}Press Ctrl-C to stop both.
At its first start the demo makes a few runs now, and then its pipeline lets five changes of the service in or not.
That takes about three minutes; you can watch.
`)
  running.add(await startBoard(server.origin))
  await addColleague(server.origin)
  await makeFirstRuns(server.origin)
  if (!existsSync(join(stage.demo, 'plans/release.gate.yaml'))) return
  running.add(
    await startChild(
      [
        join(root, 'stand-ins/pipeline/dist/main.js'),
        ...['--repository', stage.service, '--plans', stage.demo, '--port', String(stage.stagingPort)],
        ...['--ferries', join(root, 'stand-ins/ferries/dist/main.js'), '--command', join(root, 'cli/bundle/main.js')],
        ...['--to', `${server.origin}/p/1`, '--first-changes'],
      ],
      { JOLT_TOKEN: await pipelineToken(server.origin) },
    ),
  )
})
