// What run and rehearse are asked for beside the plan.
import { permissionFault, previewOf, readSentence, scalePlan, type Plan, type Target } from '@jolt-gate/core'
import { controlNeeded, proveControl } from '@jolt-gate/engine'
import { UsageError } from './errors.js'
import type { RunArguments } from './options.js'

/** `--set` may only name what is there. */
export function refuseUnknownValues(plan: Plan, target: Target, set: Record<string, string>): void {
  const known = new Set([...plan.values.map((value) => value.name), ...target.values.map(([name]) => name)])
  const unknown = Object.keys(set).find((name) => !known.has(name))
  if (unknown !== undefined) throw new UsageError(`--set ${unknown}: no value of the plan or the target has this name`)
}

/** Refuses a load that the target's owner does not permit, or has not shown to be able to permit. */
export async function refuseForbidden(plan: Plan | undefined, target: Target, scale = 1): Promise<void> {
  const load = plan === undefined ? { peakRate: 0, mostUsers: 0, seconds: 0 } : previewOf(scalePlan(plan, scale))
  const fault = permissionFault(target, load, new Date())
  if (fault !== undefined) throw new UsageError(`${target.name}: ${fault}`)
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
  // Braces of a URL that is given whole are no places of a template.
  const path = `${pathname}${search}`.replaceAll('{', '%7B').replaceAll('}', '%7D')
  return `jolt: 1
name: ${quoted(url)}
target: ${quoted(origin)}
journeys:
  visit:
    steps:
      - send: ${quoted(`GET ${path}`)}
load:
  - ${phaseOf(options)}
`
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
