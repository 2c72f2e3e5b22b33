// A long run is seen as soon as a short one: an hour over twenty steps beside a minute of the same load, both as they
// are stored, in the browser's own measure.
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import {
  base64OfBytes,
  Distribution,
  Draws,
  emptyBucket,
  emptyStep,
  encodeBucket,
  explain,
  gatesOf,
  judge,
  NO_DOUBTS,
  previewOf,
  readPlan,
  resultOf,
  RunView,
  shapeOf,
} from '@jolt-gate/core'
import type { Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { startApplication, type Application } from './application.js'

const STEPS = 20
/** Of each step, in each second. */
const REQUESTS = 5
const HOUR = 3600
const MINUTE = 60
const MOST_TIMES = 3

let place: Application
let page: Page

beforeAll(async () => {
  const file = join(mkdtempSync(join(tmpdir(), 'jolt-gate-long-')), 'runs.jsonl.gz')
  writeFileSync(file, gzipSync(`${[recorded('minute', MINUTE), recorded('hour', HOUR)].join('\n')}\n`, { level: 1 }))
  place = await startApplication(file)
  ;({ page } = await place.newPage())
})
afterAll(() => place.stop())

/** A run of so many seconds, as a line of a file of recorded runs. */
function recorded(id: string, seconds: number): string {
  const steps = Array.from(
    { length: STEPS },
    (_, step) => `      - { send: GET /${String(step)}, name: step ${String(step)} }`,
  )
  const text = `jolt: 1\nname: ${id}\ntarget: http://127.0.0.1:1\njourneys:\n  a:\n    steps:\n${steps.join('\n')}\nload:\n  - { phase: hold, rate: ${String(REQUESTS)}/s, for: ${String(seconds)}s }\ngates:\n  - p95 response time of each step under 300 ms\n`
  const { plan } = readPlan(`plans/${id}.gate.yaml`, text, { files: () => undefined })
  const shape = shapeOf(plan, previewOf(plan).phases)
  const view = new RunView({ gates: gatesOf(plan), shape })
  const draws = new Draws(1).at(0, 0, 0)
  const buckets: string[] = []
  for (let second = 0; second < seconds; second++) {
    const bucket = emptyBucket(second)
    bucket.arrivals.push({
      phase: 0,
      started: REQUESTS,
      missed: 0,
      capped: 0,
      outOfData: 0,
      startLag: new Distribution(),
    })
    for (let step = 0; step < STEPS; step++) {
      const cell = { ...emptyStep(0, 0, step, 0), requests: REQUESTS }
      for (let request = 0; request < REQUESTS; request++) cell.responseTime.record(20_000 * draws.nextExponential())
      bucket.steps.push(cell)
    }
    buckets.push(base64OfBytes(encodeBucket(bucket)))
    view.add({ kind: 'bucket', bucket })
  }
  view.add({ kind: 'end' })
  const ending = { kind: 'finished' } as const
  const judgement = judge({ ending, doubts: NO_DOUBTS, results: view.gates(), recording: view.recording, shape })
  const identity = {
    ...{ id, tool: '0.1.0', target: { name: 'none', origin: 'http://127.0.0.1:1' } },
    plan: { name: id, file: plan.file, commit: null, branch: 'main', dirty: false, seed: 1, scale: 1, load: 'x' },
    ...{ startedAt: '2026-06-01T08:00:00.000Z', endedAt: '2026-06-01T09:00:00.000Z' },
  }
  const generator = { processes: 1, reasons: [], calibration: null }
  const explained = explain({ view, gates: gatesOf(plan), reasons: [] })
  const result = resultOf(identity, { judgement, explained, setup: [], teardown: [], generator, baseline: null }, view)
  const run = {
    ...{ id, number: 1, planFile: plan.file, planName: id, targetName: 'none', origin: identity.target.origin },
    ...{ commit: null, branch: 'main', dirty: false, state: 'ended', verdict: 'open', reasons: [], startedBy: null },
    ...{ askedAt: identity.startedAt, startedAt: null, endedAt: null, seconds, spark: { due: [], p95: [] } },
    ...{ impact: null, gates: null, requests: null, failedShare: null, p95: null, plan, shape },
  }
  return JSON.stringify({ run, result, buckets })
}

const median = (values: readonly number[]) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)] ?? NaN

/** Until the chart and the table of all steps are there, in ms. */
async function opening(id: string): Promise<number> {
  await page.goto(`${place.origin}/p/1/plans`)
  await page.locator('h1').first().waitFor()
  const beganMs = performance.now()
  await page.goto(`${place.origin}/p/1/runs/${id}`)
  await page.locator('.lane canvas').first().waitFor()
  await page
    .locator('.el-table__row')
    .nth(STEPS - 1)
    .waitFor()
  return performance.now() - beganMs
}

/** From the end of a selection to the tables of its seconds, in ms; half of the run is selected. */
async function selecting(id: string): Promise<number> {
  await page.goto(`${place.origin}/p/1/runs/${id}?mark=2-4`)
  await page.getByText(/computed for 0:02/).waitFor({ timeout: 60_000 })
  // What is summed up in advance is summed up by then.
  await page.waitForTimeout(1500)
  const chart = await page.locator('.lane canvas').nth(1).boundingBox()
  if (chart === null) throw new Error('there is no chart')
  const [left, y] = [chart.x + 60, chart.y + 20]
  await page.mouse.move(left + (chart.width - 60) * 0.2, y)
  await page.mouse.down()
  await page.mouse.move(left + (chart.width - 60) * 0.7 - 4, y, { steps: 3 })
  await page.waitForTimeout(300)
  const beganMs = performance.now()
  await page.mouse.move(left + (chart.width - 60) * 0.7, y)
  await page
    .getByText(/reading seconds:/)
    .waitFor({ state: 'visible', timeout: 50 })
    .catch(() => undefined)
  await page.getByText(/computed for/).waitFor()
  await page.mouse.up()
  return performance.now() - beganMs
}

describe('an hour over twenty steps', () => {
  it(`opens, and answers a selected range, in at most ${String(MOST_TIMES)} times the time of a minute`, async () => {
    const rounds = 3
    const times = {
      opens: { hour: [] as number[], minute: [] as number[] },
      ranges: { hour: [] as number[], minute: [] as number[] },
    }
    for (let round = 0; round < rounds; round++)
      for (const id of ['minute', 'hour'] as const) {
        times.opens[id].push(await opening(id))
        times.ranges[id].push(await selecting(id))
      }
    const ratio = (of: keyof typeof times) => median(times[of].hour) / median(times[of].minute)
    console.info(
      `an hour opens in ${median(times.opens.hour).toFixed(0)} ms, a minute in ${median(times.opens.minute).toFixed(0)} ms; a range takes ${median(times.ranges.hour).toFixed(0)} and ${median(times.ranges.minute).toFixed(0)} ms`,
    )

    expect(ratio('opens')).toBeLessThan(MOST_TIMES)
    expect(ratio('ranges')).toBeLessThan(MOST_TIMES)
  })
})
