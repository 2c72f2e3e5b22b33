// Words that a gate may be made of, for choosing instead of writing.
import { FAMILIES, groupsOf, MEASURES, timedOf, type Gate, type Plan, type Target } from '@jolt-gate/core'
import type { GateWord } from './gate-words.js'

const STATISTICS = ['mean', 'median', 'p90', 'p95', 'p99', 'max']

/** What a word of a gate may become. */
export function choicesFor(word: GateWord, gate: Gate, plan: Plan, target: Target | null): string[] {
  switch (word.kind) {
    case 'measure':
      return measureChoices(target)
    case 'name': {
      const names = MEASURES[gate.measure.kind].of === 'groups' ? groupNames(plan) : requestNames(plan)
      return names.map((name) => JSON.stringify(name))
    }
    case 'journey':
      return plan.journeys.map(({ name }) => JSON.stringify(name))
    case 'phase':
      return phaseNames(plan)
    case 'comparison':
      return ['under', 'at most', 'over', 'at least']
    case 'plain':
    case 'limit':
      return []
    default:
      return word.kind satisfies never
  }
}

function measureChoices(target: Target | null): string[] {
  return Object.entries(MEASURES).flatMap(([measure, { family }]) => {
    if (measure === 'apdex') return ['apdex at 300 ms']
    if (measure === 'metric') return (target?.metrics ?? []).map(({ name }) => `max metric ${JSON.stringify(name)}`)
    return FAMILIES[family].hasStatistic ? STATISTICS.map((statistic) => `${statistic} ${measure}`) : [measure]
  })
}

export const groupNames = (plan: Plan): string[] => [
  ...new Set(plan.journeys.flatMap(({ steps }) => [...groupsOf(steps)].map(({ name }) => name))),
]
export const requestNames = (plan: Plan): string[] => [
  ...new Set(
    plan.journeys.flatMap(({ steps }) =>
      [...timedOf(steps)].flatMap(({ name, isRequest }) => (isRequest ? [name] : [])),
    ),
  ),
]

/** Phases as a gate names them. */
export const phaseNames = (plan: Plan): string[] =>
  [...new Set(plan.load.phases.map(({ name, ladder }) => ladder ?? name))].map((name) =>
    /^[\w-]+$/.test(name) ? name : JSON.stringify(name),
  )

/** Gates that most plans begin with. */
export function usualGates(plan: Plan): string[] {
  const [first] = requestNames(plan)
  return [
    'p95 response time under 500 ms',
    ...(first === undefined ? [] : [`p95 response time of ${JSON.stringify(first)} under 300 ms`]),
    'failed requests at most 1 %',
    'failed checks at most 0 %',
    'throughput at least 1/s',
    'p95 response time at most 110 % of baseline or 50 ms',
  ].filter((rule) => !plan.gates.some(({ written }) => written === rule))
}

/** A limit a little beyond what the last run saw, in the same words. */
export function suggestedLimit(observed: string): string | undefined {
  const [, number, unit = ''] = /^([\d.]+)(\s*.*)$/.exec(observed.replaceAll(/\s/g, ' ')) ?? []
  if (number === undefined) return undefined
  const wider = Number(number) * 1.2
  const digits = wider === 0 ? 0 : Math.max(0, 1 - Math.floor(Math.log10(wider)))
  return `${wider.toFixed(Math.min(3, digits))}${unit}`
}
