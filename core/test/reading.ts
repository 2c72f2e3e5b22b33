// A plan around the part that a test is about.
import { readPlan, type PlanReading, type Problem } from '../src/index.js'

interface Parts {
  journeys?: string
  load?: string
  gates?: string
  top?: string
  target?: string
}

const JOURNEYS = `  look around:
    steps:
      - send: GET /sailings
        name: search`

export function planText({
  journeys = JOURNEYS,
  load = '  - { phase: peak, rate: 5/s, for: 10s }',
  gates = '  - failed requests at most 1 %',
  top = '',
  target = 'http://127.0.0.1:7710',
}: Parts): string {
  return `jolt: 1\nname: Test\ntarget: ${target}\n${top}journeys:\n${journeys}\nload:\n${load}\ngates:\n${gates}\n`
}

/** The file of a target named harbour, which has a metric. */
export const WITH_QUEUE = {
  'targets/harbour.target.yaml':
    'origin: http://127.0.0.1:7710\nmetrics:\n  queue: { url: /m, family: q, ceiling: 40 }\n',
}

export function read(text: string, files: Record<string, string> = {}): PlanReading {
  return readPlan('plans/test.gate.yaml', text, { files: (path) => files[path] })
}

/** The first problem, with its place as line:column. */
export function firstProblem(
  text: string,
  files: Record<string, string> = {},
): Pick<Problem, 'message' | 'code'> & { at: string } {
  const [problem] = read(text, files).problems
  if (problem === undefined) throw new Error('the plan was read without a problem')
  return { at: `${String(problem.line)}:${String(problem.column)}`, message: problem.message, code: problem.code }
}

/** Line and column of a piece of text, from 1. */
export function placeOf(text: string, piece: string): string {
  const before = text.slice(0, text.indexOf(piece)).split('\n')
  return `${String(before.length)}:${String((before.at(-1) ?? '').length + 1)}`
}
