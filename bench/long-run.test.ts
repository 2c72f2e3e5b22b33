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
import { startApplication, type Application } from '../e2e/application.js'

const STEPS = 20
/** Of each step, in each second. */
const REQUESTS = 3
const HOUR = 3600
const MINUTE = 60
const MOST_TIMES = 3
const ROUNDS = 2

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
  const generator = { fleet: [], reasons: [], calibration: null }
  const explained = explain({ view, gates: gatesOf(plan), reasons: [] })
  const result = resultOf(
    identity,
    { judgement, explained, setup: [], teardown: [], renewals: [], generator, baseline: null },
    view,
  )
  const run = {
    ...{ id, number: 1, planFile: plan.file, planName: id, targetName: 'none', origin: identity.target.origin },
    ...{ commit: null, branch: 'main', dirty: false, state: 'ended', verdict: 'open', reasons: [], startedBy: null },
    ...{ askedAt: identity.startedAt, startedAt: null, endedAt: null, seconds, spark: { due: [], p95: [] } },
    ...{ impact: null, gates: null, requests: null, failedShare: null, p95: null, plan, shape },
  }
  return JSON.stringify({ run, result, buckets })
}

/** Of a few: what nothing else held up. */
const least = (values: readonly number[]) => Math.min(...values)

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

/** From a selection to the tables of its seconds, in ms, the least of some; half of the run is selected. */
async function selecting(id: string): Promise<number> {
  await page.goto(`${place.origin}/p/1/runs/${id}?range=2-4`)
  await page.getByText(/computed for 0:02/).waitFor({ timeout: 60_000 })
  // What is summed up in advance is summed up by then.
  await page.waitForTimeout(4000)
  const chart = await page.locator('.lane canvas').nth(1).boundingBox()
  if (chart === null) throw new Error('there is no chart')
  const [left, y, width] = [chart.x + 60, chart.y + 20, chart.width - 60]
  const times: number[] = []
  for (let round = 0; round < ROUNDS; round++) {
    await page.mouse.move(left + width * 0.2, y)
    await page.mouse.down()
    await page.mouse.move(left + width * 0.7 - 4, y, { steps: 3 })
    await page.waitForTimeout(700)
    const beganMs = performance.now()
    await page.mouse.move(left + width * (0.7 + 0.03 * round), y)
    await page
      .getByText(/loading/)
      .waitFor({ timeout: 50 })
      .catch(() => undefined)
    await page.getByText(/computed for/).waitFor()
    times.push(performance.now() - beganMs)
    await page.mouse.up()
  }
  return least(times)
}

describe('an hour over twenty steps', () => {
  it(`opens in at most ${String(MOST_TIMES)} times the time of a minute, and answers a range in as few`, async () => {
    const opens = { hour: [] as number[], minute: [] as number[] }
    for (let round = 0; round < ROUNDS; round++)
      for (const id of ['minute', 'hour'] as const) opens[id].push(await opening(id))
    const [hour, minute] = [
      { opens: least(opens.hour), range: await selecting('hour') },
      { opens: least(opens.minute), range: await selecting('minute') },
    ]
    const words = (of: typeof hour) => `opens in ${of.opens.toFixed(0)} ms, a range takes ${of.range.toFixed(0)} ms`
    console.info(`an hour ${words(hour)}; a minute ${words(minute)}`)

    expect(hour.opens / minute.opens).toBeLessThan(MOST_TIMES)
    expect(hour.range / minute.range).toBeLessThan(MOST_TIMES)
  })
})
