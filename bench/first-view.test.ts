// Every page shows itself at once: its first view beside that of a page with nothing on it, of the same application.
import type { Page } from 'playwright-core'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { startApplication, type Application } from '../e2e/application.js'

const MOST_TIMES = 3
const ROUNDS = 3
/** What a page is known by: what takes longer than it is drawn as loading in its place. */
const FIRST = 'main :is(h1, h2, p, canvas, .el-table, .cm-editor)'
const PLAN = 'file=plans%2Fsummer.gate.yaml'

let place: Application
let page: Page

beforeAll(async () => {
  place = await startApplication(true)
  ;({ page } = await place.newPage())
})
afterAll(() => place.stop())

/** From the address to the first view, in ms, the least of some: what nothing else held up. */
async function firstView(path: string): Promise<number> {
  const times: number[] = []
  for (let round = 0; round < ROUNDS; round++) {
    await page.goto('about:blank')
    const beganMs = performance.now()
    await page.goto(`${place.origin}${path}`, { waitUntil: 'commit' })
    await page.locator(FIRST).first().waitFor()
    times.push(performance.now() - beganMs)
  }
  return Math.min(...times)
}

it(`every page is there in at most ${String(MOST_TIMES)} times the time of an empty one`, async () => {
  await firstView('/nowhere')
  const empty = await firstView('/nowhere')
  const run = await page.evaluate(async () => {
    const { runs } = (await (await fetch('/api/projects/1/runs')).json()) as { runs: { id: string }[] }
    return runs.slice(0, 2).map(({ id }) => id)
  })
  const inProject = [
    ...['plans', `plan?${PLAN}`, 'runs', `runs/${run[0] ?? ''}`, 'trend', `compare?runs=${run.join()}`],
    ...['pipelines', 'schedules', 'targets', 'import', 'integrations', 'merges'],
  ].map((path) => `/p/1/${path}`)
  const paths = ['/', '/account', '/people', '/access', '/audit-log', ...inProject]
  const times: [path: string, ms: number][] = []
  for (const path of paths) times.push([path, await firstView(path)])
  console.info([`empty ${empty.toFixed(0)} ms`, ...times.map(([path, ms]) => `${path} ${ms.toFixed(0)} ms`)].join('; '))

  expect(times.filter(([, ms]) => ms > MOST_TIMES * empty)).toEqual([])
})
