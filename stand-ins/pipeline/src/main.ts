// Starts the pipeline from a shell; it works off what comes to main until it is stopped. The token of the server stands
// in JOLT_TOKEN.
import { setTimeout } from 'node:timers/promises'
import { parseArgs } from 'node:util'
import { workOff } from './pipeline.js'
import { FIRST_CHANGES, ServiceRepository } from './service-repository.js'
import { Staging } from './staging.js'

const LOOK_EVERY_MS = 1000

const { values } = parseArgs({
  options: {
    repository: { type: 'string' },
    plans: { type: 'string' },
    ferries: { type: 'string' },
    command: { type: 'string' },
    plan: { type: 'string', default: 'plans/release.gate.yaml' },
    pipeline: { type: 'string', default: 'pipelines/booking.pipeline.yaml' },
    stage: { type: 'string', default: 'production' },
    target: { type: 'string', default: 'staging' },
    port: { type: 'string' },
    to: { type: 'string' },
    'first-changes': { type: 'boolean', default: false },
  },
})
const needed = (name: 'repository' | 'plans' | 'ferries' | 'command' | 'port' | 'to'): string => {
  const value = values[name]
  if (value !== undefined) return value
  process.stderr.write(`--${name} is needed\n`)
  process.exit(2)
}

const options = {
  repository: await ServiceRepository.open(needed('repository')),
  // Arguments of Node before them, such as a loader, come from the one who starts this.
  staging: new Staging([...process.execArgv, needed('ferries')], Number(needed('port'))),
  joltGate: [needed('command')],
  plans: needed('plans'),
  to: needed('to'),
  token: process.env['JOLT_TOKEN'] ?? '',
  ...{ plan: values.plan, pipeline: values.pipeline, stage: values.stage, target: values.target },
  say: (line: string) => {
    process.stderr.write(`pipeline: ${line}\n`)
  },
}

process.stdout.write(`the pipeline of the booking service answers at ${options.to}\n`)
// The one who started it is gone, killed perhaps.
process.once('disconnect', () => process.exit(0))
process.once('SIGTERM', () => process.exit(0))
// Something is deployed from the start: a stage may be run before the first change comes.
await options.staging.deploy('{}')
const isNew =
  (await options.repository.inProduction()) === undefined && (await options.repository.waiting()).length === 0
for (const { message, flaws } of isNew && values['first-changes'] ? FIRST_CHANGES : []) {
  await options.repository.commit(message, flaws)
  await workOffAll()
}
for (;;) {
  await workOffAll()
  await setTimeout(LOOK_EVERY_MS)
}

async function workOffAll(): Promise<void> {
  for (const version of await options.repository.waiting())
    await workOff(version, options).catch(async (error: unknown) => {
      options.say(`${version.commit.slice(0, 7)}: ${error instanceof Error ? error.message : String(error)}`)
      await options.repository.markHandled(version)
    })
}
