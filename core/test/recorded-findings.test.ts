// Findings against the ferry service itself: each line of the file is a run that was really made, with one flaw of the
// service or with none (`npm run record findings`).
import { readFileSync } from 'node:fs'
import { gunzipSync } from 'node:zlib'
import { describe, expect, it } from 'vitest'
import {
  bytesOfBase64,
  decodeBucket,
  explain,
  gatesOf,
  RunView,
  type Finding,
  type Plan,
  type RunShape,
} from '../src/index.js'

interface Recorded {
  name: string
  plan: Plan
  shape: RunShape
  buckets: string[]
}
const file = new URL('../../scripts/recorded/findings.jsonl.gz', import.meta.url)
const runs = gunzipSync(readFileSync(file))
  .toString()
  .trimEnd()
  .split('\n')
  .map((line) => JSON.parse(line) as Recorded)

function findingsOf({ plan, shape, buckets }: Recorded): Finding[] {
  const gates = gatesOf(plan)
  const view = new RunView({ gates, shape, satisfiedMs: plan.satisfiedMs })
  for (const data of buckets) view.add({ kind: 'bucket', bucket: decodeBucket(bytesOfBase64(data)) })
  view.add({ kind: 'end' })
  return explain({ view, gates, reasons: [] }).findings
}
const worth = (found: readonly Finding[]) =>
  found.filter(({ severity }) => severity !== 'info').map(({ kind, text }) => `${kind}: ${text}`)

describe('the healthy service', () => {
  const healthy = runs.filter(({ name }) => name.startsWith('healthy'))

  it('was recorded ten times', () => {
    expect(healthy).toHaveLength(10)
  })

  it.each(healthy.map((run) => [run.name, run] as const))('has no finding above info: %s', (_, run) => {
    expect(worth(findingsOf(run))).toEqual([])
  })
})

describe('a service that is overloaded', () => {
  it.each(['saturation', 'queue'])('is not taken for one with a race: %s', (name) => {
    const run = runs.find((one) => one.name === name)

    expect(run === undefined ? [] : findingsOf(run).map(({ kind }) => kind)).not.toContain('only under concurrency')
  })
})

describe('the service with a flaw', () => {
  it.each([
    // Six places of work, each 25 ms an iteration, bear 240 a second (Erlang).
    ['saturation', 'saturation', /stop growing at about 2[2-6]\d arrivals/],
    ['saturation', 'first to fill', /busy places/],
    ['queue', 'queueing', /./],
    ['cold start', 'cold start', /./],
    ['leak', 'drift', /./],
    ['race', 'only under concurrency', /./],
    ['stall', 'failures', /timeout/i],
    ['errors', 'failures', /500/],
    ['pauses', 'periodic spikes', /./],
    ['two groups of times', 'two groups of times', /./],
    ['slow dependency', 'where the time goes', /receiv/i],
    ['lost connections', 'drift', /connections/],
  ] as const)('%s shows: %s', (name, kind, words) => {
    const run = runs.find((one) => one.name === name)
    if (run === undefined) throw new Error(`${name} was not recorded`)
    const found = findingsOf(run)

    expect(found.filter((one) => one.kind === kind).map(({ text }) => text)).toContainEqual(
      expect.stringMatching(words),
    )
  })
})
