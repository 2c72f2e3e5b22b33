// A small team's pipeline: for each version of the service, in order, it deploys to staging, runs the gate by the
// command, asks whether the change may go on, and promotes or does not.
import { execa } from 'execa'
import type { ServiceRepository, Version } from './service-repository.js'
import type { Staging } from './staging.js'

export interface PipelineOptions {
  repository: ServiceRepository
  staging: Staging
  /** The command, as arguments of Node. */
  joltGate: readonly string[]
  /** A checkout of the plans. */
  plans: string
  plan: string
  pipeline: string
  stage: string
  target: string
  /** The server that sees the runs, and its token. */
  to: string
  token: string
  say: (line: string) => void
}

/** What became of a version. */
export type Promotion = 'promoted' | 'refused'

export async function workOff(version: Version, options: PipelineOptions): Promise<Promotion> {
  const { repository, say } = options
  const name = `${version.commit.slice(0, 7)} "${version.message}"`
  await options.staging.deploy(version.flaws)
  const run = await jolt(options, [
    ...['run', options.plan, '--target', options.target, '--to', options.to],
    ...['--commit', version.commit, '--branch', 'main', '--label', `message=${version.message.slice(0, 200)}`],
    ...['--retry-void', '2', '--quiet'],
  ])
  say(`${name}: the gate ended with ${String(run.exitCode)}: ${lastLine(run.text)}`)
  const admission = await jolt(options, [
    ...['admit', '--stage', options.stage, '--pipeline', options.pipeline],
    ...['--commit', version.commit, '--to', options.to, '--quiet'],
  ])
  if (admission.exitCode === 0) await repository.promote(version)
  await repository.markHandled(version)
  say(`${name}: ${lastLine(admission.text)}`)
  return admission.exitCode === 0 ? 'promoted' : 'refused'
}

async function jolt({ joltGate, plans, token }: PipelineOptions, words: string[]) {
  const { exitCode, all } = await execa(process.execPath, [...joltGate, ...words], {
    cwd: plans,
    env: { JOLT_TOKEN: token },
    all: true,
    reject: false,
  })
  return { exitCode, text: all }
}

const lastLine = (text: string): string => text.trim().split('\n').at(-1) ?? ''
