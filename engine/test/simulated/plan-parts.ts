// What plans at random are made of: steps, phases and gates that go together.
import { Draws } from '@jolt-gate/core'
import type { Asked, Fault } from './target.js'

export interface Case {
  text: string
  files: Record<string, string>
  faultOf: (asked: Asked) => Fault | undefined
  /** Whether a call into the script fails. */
  callFails: () => boolean
  /** The limit on failed requests in force, as a share. */
  limit: number
  /** Whether the faults of the service must be more than that limit for the case to count. */
  isOfRequests: boolean
  metricsAt?: (second: number) => (number | null)[]
  stall?: { atMs: number; forMs: number }
  death?: string
}

export type Random = () => number

/** A stream of draws of its own for each case. */
export function randomOf(seed: number): Random {
  const draws = new Draws(20_261_130).at(seed, 0, 0)
  return () => draws.next()
}

interface Parts {
  top?: string
  /** Of one journey. */
  steps?: string[]
  journeys?: string[]
  load?: string[]
  gates?: string[]
  needsRequest?: boolean
}

export function caseOf(random: Random, { top = '', steps, journeys, load, gates, needsRequest = false }: Parts): Case {
  const own =
    steps === undefined ? someSteps(random, 'x') : [...(needsRequest ? sendLines('/first', 'first') : []), ...steps]
  const all = journeys ?? [
    ...journey('a', 2, own),
    ...(steps === undefined && random() < 0.4 ? journey('b', 1, someSteps(random, 'y')) : []),
  ]
  const phases = load ?? somePhases(random)
  const limits = gates ?? someGates(random)
  const gateLines = limits.length === 0 ? '' : `gates:\n${limits.map((gate) => `  - '${gate}'\n`).join('')}`
  return {
    text: `jolt: 1\nname: Simulated\ntarget: here\nseed: ${String(1 + Math.floor(random() * 1e6))}\n${top}journeys:\n${inside(all).join('\n')}\nload:\n${phases.map((phase) => `  - ${phase}\n`).join('')}${gateLines}`,
    files: {},
    faultOf: () => undefined,
    callFails: () => false,
    limit: Math.max(
      0.01,
      ...limits.flatMap((gate) => Number(/^failed requests at most (\d+) %$/.exec(gate)?.[1] ?? 0) / 100),
    ),
    isOfRequests: true,
  }
}

export const inside = (lines: readonly string[]): string[] => lines.map((line) => `  ${line}`)
export const journey = (name: string, weight: number, steps: readonly string[]): string[] => [
  `${name}:`,
  `  weight: ${String(weight)}`,
  '  steps:',
  ...inside(inside(steps)),
]

export function sendLines(path: string, name: string, more: readonly string[] = [], method = 'GET'): string[] {
  return [`- send: ${method} ${path}`, ...inside([`name: ${name}`, ...more])]
}

export function untilLines(path: string): string[] {
  return [
    '- repeat: { until: json $.state is "done", at most: 3 }',
    ...inside(['steps:', ...inside(sendLines(path, 'until'))]),
  ]
}

const CHECKS = [
  [],
  ["check: ['json $.ok is true']"],
  ["check: ['status is 200', 'json $.error is missing']"],
  ["check: ['json $.items has at most 3 items']"],
  ["keep: { NAME: 'json $.id' }"],
]

export function someSteps(random: Random, prefix: string, depth = 0): string[] {
  const count = 1 + Math.floor(random() * 3)
  const first = depth === 0 ? oneSend(random, `${prefix}0`) : []
  return [
    ...first,
    ...Array.from({ length: count }, (_, index) => oneStep(random, `${prefix}${String(index + 1)}`, depth)).flat(),
  ]
}

export function oneSend(random: Random, name: string): string[] {
  const more = pick(random, CHECKS).map((line) => line.replace('NAME', `kept_${name}`))
  return sendLines(`/${name}`, name, more)
}

function oneStep(random: Random, name: string, depth: number): string[] {
  const around = (head: string) => [head, ...inside(['steps:', ...inside(someSteps(random, `${name}_`, depth + 1))])]
  const kinds: (() => string[])[] = [
    () => oneSend(random, name),
    () => oneSend(random, name),
    () => [`- wait: ${pick(random, ['5ms', '10ms to 80ms', 'about 40ms', '300ms'])}`],
    () => untilLines(`/${name}`).map((line) => line.replace('name: until', `name: ${name}`)),
    ...(depth > 1
      ? []
      : [
          () => [...oneSend(random, `${name}_g`), ...around(`- group: ${name}`)],
          () => [...oneSend(random, `${name}_r`), ...around(`- repeat: ${String(1 + Math.floor(random() * 3))}`)],
          () => [...oneSend(random, `${name}_w`), ...around('- when: status is 200')],
          () => ['- pick:', ...inside([...option(random, `${name}_p`), ...option(random, `${name}_q`)])],
          () => ['- parallel:', ...inside([...oneSend(random, `${name}_l`), ...oneSend(random, `${name}_k`)])],
        ]),
  ]
  return pick(random, kinds)()
}

const option = (random: Random, name: string): string[] => [
  '- weight: 1',
  '  steps:',
  ...inside(inside(oneSend(random, name))),
]

function somePhases(random: Random): string[] {
  const warm = random() < 0.3 ? ['{ phase: warm, rate: 5/s, for: 1s, measure: no }'] : []
  if (random() < 0.4) return [...warm, closedPhase(random)]
  return [...warm, openPhase(random), ...(random() < 0.3 ? ['{ phase: pause, rest: 1s }'] : [])]
}

export const openPhase = (random: Random): string =>
  pick(random, [
    '{ phase: p, rate: 20/s, for: 3s }',
    '{ phase: p, rate: 2/s to 30/s, for: 4s }',
    '{ phase: p, rate: 5/s to 15/s by 5/s, for: 4s }',
    '{ phase: p, starts: 50, for: 2s, spacing: random }',
    '{ phase: p, rate: 15/s, for: 3s, spacing: random }',
  ])
export const closedPhase = (random: Random): string =>
  pick(random, [
    '{ phase: p, users: 3, for: 2s }',
    '{ phase: p, users: 1 to 6, for: 3s }',
    '{ phase: p, users: 4, iterations: 5, for: 1m }',
  ])

const someGates = (random: Random): string[] =>
  pick(random, [
    [],
    [],
    ['p50 response time under 5 s'],
    ['failed requests at most 1 %'],
    ['failed requests at most 5 %', 'p50 response time under 5 s'],
    ['failed journeys at most 5 %'],
  ])

export function pick<T>(random: Random, some: readonly T[]): T {
  const one = some[Math.floor(random() * some.length)]
  if (one === undefined) throw new RangeError('there is nothing to pick')
  return one
}
