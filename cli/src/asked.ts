// What run and rehearse are asked for beside the plan.
import { readFileSync, statSync } from 'node:fs'
import {
  isNumberMaker,
  NO_LOAD,
  permissionFault,
  previewOf,
  readSentence,
  scalePlan,
  type Plan,
  type PlanReading,
  type Target,
} from '@jolt-gate/core'
import { controlNeeded, planFaults, proveControl, secretsOf } from '@jolt-gate/engine'
import { UsageError } from './errors.js'
import type { RunArguments } from './options.js'

/** `--set` may only name what is there. */
export function refuseUnknownValues({ plan, target, loadNames }: PlanReading, set: Record<string, string>): void {
  const ofTarget = target?.values.map(([name]) => name) ?? []
  const known = new Set([...plan.values.map((value) => value.name), ...ofTarget, ...loadNames])
  const unknown = Object.keys(set).find((name) => !known.has(name))
  if (unknown !== undefined) throw new UsageError(`--set ${unknown}: no value of the plan or the target has this name`)
  for (const { name, maker } of plan.values) {
    const text = set[name]
    if (text !== undefined && isNumberMaker(maker) && (text.trim() === '' || !Number.isFinite(Number(text))))
      throw new UsageError(`--set ${name}: the plan makes numbers of it, and "${text}" is none`)
  }
}

/** The values of a target's secrets, from the environment or from files that it names. */
export function secretValuesOf(target: Target): Record<string, string> {
  const secrets = secretsOf(target, { environment: process.env, readFile: readSecret })
  if (secrets.kind === 'missing')
    throw new UsageError(
      `the target needs secrets: set ${secrets.variables.join(' and ')}, or name files with them in ${secrets.variables.map((name) => `${name}_FILE`).join(' and ')}`,
    )
  if (secrets.kind === 'short')
    throw new UsageError(`a secret needs at least four characters: ${secrets.variables.join(' and ')}`)
  return secrets.values
}

const MOST_SECRET_BYTES = 64_000

function readSecret(path: string): string {
  try {
    if (statSync(path).size > MOST_SECRET_BYTES) throw new Error('it is larger than 64 kB')
    return readFileSync(path, 'utf8')
  } catch (error) {
    throw new UsageError(
      `the secret in ${path} cannot be read: ${error instanceof Error ? error.message : String(error)}`,
    )
  }
}

/** Refuses a plan that could never come to an answer; what may come later is a warning. */
export async function refuseImpossible(plan: Plan, target: Target): Promise<void> {
  const { errors, warnings } = await planFaults(plan, target)
  if (errors.length > 0) throw new UsageError(errors.map((error) => `${plan.file}: ${error}`).join('\n'))
  for (const warning of warnings) process.stderr.write(`warning: ${warning}\n`)
}

/** Refuses a load that the target's permission does not hold. */
export function refuseUnpermitted(plan: Plan | undefined, target: Target, scale = 1): void {
  const load = plan === undefined ? NO_LOAD : previewOf(scalePlan(plan, scale))
  const fault = permissionFault(target, load, new Date())
  if (fault !== undefined) throw new UsageError(`${target.name}: ${fault}`)
}

/** Refuses a load that the target's owner does not permit, or has not shown to be able to permit. */
export async function refuseForbidden(plan: Plan | undefined, target: Target, scale = 1): Promise<void> {
  refuseUnpermitted(plan, target, scale)
  const missing = (await proveControl(controlNeeded(target))).flatMap((found) => (found.isProven ? [] : [found]))
  const [first] = missing
  if (first !== undefined)
    throw new UsageError(
      `${target.name}: control of ${first.origin} is not proven: ${first.why}. Serve the token ${first.token} as text at ${first.url}`,
    )
}

export const isUrl = (text: string): boolean => /^https?:\/\//.test(text)

/** The plan that sends GET requests to one URL, as text. */
export function planOfUrl(url: string, options: RunArguments): string {
  if (!URL.canParse(url)) throw new UsageError(`${url} is not a URL`)
  const { origin, pathname, search } = new URL(url)
  const quoted = (text: string) => JSON.stringify(text)
  const gates = (options.gate ?? []).map((gate) => `  - ${quoted(gate)}\n`)
  // Braces of a URL that is given whole are no places of a template.
  const path = `${pathname}${search}`.replaceAll('{', '%7B').replaceAll('}', '%7D')
  return `jolt: 1
name: ${quoted(url)}
target: ${quoted(origin)}
journeys:
  visit:
    steps:
      - send: ${quoted(`GET ${path}`)}
${waitOf(options)}load:
  - ${phaseOf(options)}
${gates.length === 0 ? '' : `gates:\n${gates.join('')}`}`
}

/** Concurrent users wait between their iterations where that is asked for. */
function waitOf({ wait, users }: RunArguments): string {
  if (wait === undefined) return ''
  if (users === undefined) throw new UsageError('--wait is for --users: arrivals come at their rate')
  const parsed = readSentence('DurationOnly', wait)
  if (!parsed.ok) throw new UsageError(`--wait: ${parsed.fault.message}`)
  return `      - wait: ${wait}\n`
}

/** What concurrent users of a URL may send at most, said before they start. */
export function mostOfUsers({ users, wait }: RunArguments): string | undefined {
  if (users === undefined) return undefined
  const some = `${String(users)} ${users === 1 ? 'user' : 'users'}`
  return wait === undefined
    ? `${some}, each as fast as answers come: nothing else holds them back`
    : `${some}, each waiting ${wait} after every answer`
}

function phaseOf({ rate, for: length, users, iterations }: RunArguments): string {
  if (rate !== undefined && users !== undefined)
    throw new UsageError('--rate and --users are two kinds of load: give one')
  const check = (rule: 'RateOnly' | 'DurationOnly', option: string, text: string) => {
    const parsed = readSentence(rule, text)
    if (!parsed.ok) throw new UsageError(`${option}: ${parsed.fault.message}`)
  }
  if (length !== undefined) check('DurationOnly', '--for', length)
  if (rate !== undefined) {
    check('RateOnly', '--rate', rate)
    if (length === undefined) throw new UsageError('--rate needs --for, such as --for 30s')
    return `{ phase: load, rate: ${rate}, for: ${length} }`
  }
  if (users === undefined)
    throw new UsageError('a run of a URL needs a load: --rate 5/s --for 30s, or --users 10 --iterations 20')
  if (iterations === undefined && length === undefined) throw new UsageError('--users needs --iterations or --for')
  return `{ phase: load, users: ${String(users)}${iterations === undefined ? '' : `, iterations: ${String(iterations)}`}${length === undefined ? '' : `, for: ${length}`} }`
}
