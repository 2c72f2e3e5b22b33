// What happens in a run beside its seconds and its end, read strictly: it comes from other processes.
import type { Loss } from '../measure/loss.js'
import type { RunEvent } from './run-view.js'

export type RunTurn = Exclude<RunEvent, { kind: 'bucket' | 'end' }>
export const TURN_KINDS = ['stop rule', 'stopped', 'loss', 'phases'] as const satisfies readonly RunTurn['kind'][]

const MOST_PHASES = 3000
const MOST_WORDS = 300

/** Reads a turn as it was sent; undefined for what is none. */
export function turnOf(value: unknown): RunTurn | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined
  const told: Partial<Record<string, unknown>> = { ...value }
  const { kind, atMs, gate, value: seen, seconds } = told
  if (kind === 'phases') return isLengths(seconds) ? { kind, seconds: [...seconds] } : undefined
  if (kind === 'loss') {
    const loss = lossOf(told['loss'])
    return loss === undefined ? undefined : { kind, loss }
  }
  if (!isFigure(atMs)) return undefined
  if (kind === 'stopped') return { kind, atMs }
  if (kind === 'stop rule')
    return isWhole(gate) && (seen === null || isFigure(seen)) ? { kind, gate, atMs, value: seen } : undefined
  return undefined
}

function lossOf(told: unknown): Loss | undefined {
  if (typeof told !== 'object' || told === null) return undefined
  const { generator, why, place, atMs, arrivals, left, requests, journeys }: Partial<Record<string, unknown>> = {
    ...told,
  }
  if (!isWords(generator) || !isWords(why) || !(place === null || isWhole(place)) || !isFigure(atMs)) return undefined
  if (!isLengths(arrivals) || !isLengths(left) || !isWhole(requests) || !isWhole(journeys)) return undefined
  return { generator, why, place, atMs, arrivals: [...arrivals], left: [...left], requests, journeys }
}

const isFigure = (value: unknown): value is number => typeof value === 'number' && Number.isFinite(value)
const isWhole = (value: unknown): value is number => Number.isSafeInteger(value) && Number(value) >= 0
const isWords = (value: unknown): value is string => typeof value === 'string' && value.length <= MOST_WORDS
const isLengths = (value: unknown): value is number[] =>
  Array.isArray(value) && value.length <= MOST_PHASES && value.every((one) => isFigure(one) && one >= 0)
