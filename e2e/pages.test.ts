// What pages say of the demo's recorded runs is what is so: figures, loading, lists, and what a server away leaves.
import type { Page } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { startApplication, type Application } from './application.js'

let place: Application
let page: Page
let faults: string[]
/** The ids of the recorded runs by their numbers. */
let ids: Record<number, string>

beforeAll(async () => {
  place = await startApplication(true)
})
afterAll(() => place.stop())
beforeEach(async () => {
  ;({ page, faults } = await place.newPage())
  const answer = await page.request.get(`${place.origin}/api/projects/1/runs`)
  const { runs } = (await answer.json()) as { runs: { id: string; number: number }[] }
  ids = Object.fromEntries(runs.map(({ id, number }) => [number, id]))
})
afterEach(({ task }) => place.leave(page, faults, task))

const open = (path: string) => page.goto(`${place.origin}${path}`)
const openRun = (number: number, query: Record<string, string> = {}) =>
  open(`/p/1/runs/${ids[number] ?? ''}?${new URLSearchParams(query).toString()}`)
const cellsOf = (row: string) => page.locator('.el-table__row', { hasText: row }).first().locator('td').allInnerTexts()
const heads = () => page.locator('th').allInnerTexts()
/** The peak that was shut for its failures. */
const PEAK = 30

describe('the page of a run', () => {
  it('prints the percentiles of the distribution as its table of steps has them', async () => {
    await openRun(PEAK)
    await expect.poll(async () => (await cellsOf('search sailings')).length).toBeGreaterThan(5)
    await page.getByText('Loading run…').waitFor({ state: 'detached' })
    const [, , , , , median, p95] = await cellsOf('search sailings')
    await page.getByRole('tab', { name: 'Distribution' }).click()

    await expect.poll(() => page.locator('.figures').first().innerText()).toContain(`median ${median ?? ''}`)
    expect(await page.locator('.figures').first().innerText()).toContain(`p95 ${p95 ?? ''}`)
  })

  it('shows the phases of the selected seconds, and no more of them', async () => {
    await openRun(PEAK, { show: 'phases', range: '55-65' })

    await expect
      .poll(async () => (await page.locator('.el-table__row').allInnerTexts()).map((row) => row.split(/\s+/).join(' ')))
      .toEqual([expect.stringMatching(/^usual 0:55 – 1:00 100 /), expect.stringMatching(/^rush 1:00 – 1:05 550 /)])
  })

  it('names what it counts: peaks, totals, failed requests and their share', async () => {
    await openRun(PEAK)
    await expect.poll(() => page.locator('.lane').count()).toBe(5)
    expect((await heads()).map((head) => head.trim())).toEqual([
      ...['step', 'requests', 'failed', 'failed %', 'throughput', 'median', 'p95', 'p99', 'max'],
    ])
    const lanes = await page.locator('.lane .title').allInnerTexts()
    expect(lanes[0]).toMatch(/^Load\s+peak\s+due\s+110\/s\s+started\s+\d+\/s\s+users\s+\d+/)
    expect(lanes[2]).toMatch(/^Failures\s+total\s+(status|failed)\s+2038/)
    expect(lanes.join()).not.toContain('at most')
  })

  it('has its readings beside the plots, and colours that say whose they are', async () => {
    await openRun(PEAK)
    await expect.poll(() => page.locator('.lane').count()).toBe(5)
    const chart = await page.locator('.lane canvas').first().boundingBox()
    await page.mouse.move((chart?.x ?? 0) + 300, (chart?.y ?? 0) + 20)
    await expect.poll(() => page.locator('.over').first().innerText()).toMatch(/^\d:\d\d$/)
    for (const one of await page.locator('.readout').all()) {
      const box = await one.boundingBox()
      expect((box?.x ?? 0) + (box?.width ?? 0)).toBeLessThan(chart?.x ?? 0)
    }
    expect(await page.locator('.readout path').count()).toBeGreaterThan(8)
  })

  it('tells the evidence of a finding in words', async () => {
    await openRun(PEAK)
    await page.getByRole('button', { name: 'Evidence' }).first().click()
    const evidence = await page.locator('.finding dl').first().innerText()

    expect(evidence).toMatch(/share\s+38\.5 % of requests/)
    expect(evidence).toMatch(/first\s+from 1:02/)
    expect(evidence).not.toMatch(/[a-z][A-Z]/)
  })

  it('selects seconds, walks its lanes and adds a mark from the keyboard alone', async () => {
    await openRun(PEAK)
    await expect.poll(() => page.locator('.lane').count()).toBe(5)
    await page.locator('.lanes').focus()
    await page.keyboard.press('ArrowRight')
    for (let step = 0; step < 3; step++) await page.keyboard.press('Shift+ArrowRight')
    await page.locator('.range').waitFor()
    await page.keyboard.press('Escape')
    await page.locator('.range').waitFor({ state: 'detached' })
    await page.keyboard.press('Tab')
    await page.getByLabel('Lane Load').and(page.locator(':focus')).waitFor()
    await page.keyboard.press('Enter')
    await page.getByRole('menuitem', { name: 'Taller' }).waitFor()
  })
})

describe('what is chosen and not typed', () => {
  const choose = async (select: string, option: string) => {
    await page.locator('.el-select', { has: page.getByRole('combobox', { name: select }) }).click()
    await page.getByRole('option', { name: option, exact: true }).click()
  }

  it('is how long runs are kept, as the sentence that it makes', async () => {
    await open('/p/1/runs')
    await page.getByRole('button', { name: 'How long runs are kept…' }).click()
    await choose('All runs', 'Keep runs for')
    await page.getByRole('button', { name: '+ Keep some longer' }).click()
    await choose('Length of rule 1', 'for ever')

    await expect
      .poll(() => page.getByRole('textbox', { name: 'Rule' }).inputValue())
      .toBe('keep 90 days, open runs of main for ever')
  })
})

describe('from run to run', () => {
  it('a trend says that it cannot tell where too few runs count, and looks before it denies a shift', async () => {
    await open('/p/1/trend?plan=plans/peak.gate.yaml&target=harbour')
    await page.getByText('Cannot tell: 4 of these runs count, and a shift takes 4 on either side.').waitFor()
    await open('/p/1/trend?plan=plans/watch.gate.yaml&target=harbour')
    await page.getByText('Looking for shifts…').or(page.locator('article').first()).first().waitFor()
    await page.locator('article').first().waitFor()
    expect(await page.getByText('No shift').count()).toBe(0)
  })

  it('a comparison that holds too little to tell says so, with the gates that are breached now', async () => {
    await open(`/p/1/compare?runs=${ids[28] ?? ''},${ids[PEAK] ?? ''}`)
    await page.locator('.words').waitFor()
    expect(await page.locator('.words').innerText()).toMatch(/^(Worse|Cannot tell): /)
    await page.getByText('gates breached now and held before').waitFor()
    expect(await page.locator('article.worse, article.cannot-tell').count()).toBe(1)
  })

  it('runs are sorted by a figure, show their target, and keep what is selected in sight', async () => {
    await open('/p/1/runs')
    await page.getByRole('columnheader', { name: 'slowest p95' }).click()
    await page.waitForURL(/sort=p95/)
    expect((await heads()).some((head) => head.includes('target'))).toBe(true)
    for (const row of [0, 1]) await page.locator('.el-table__row .el-checkbox').nth(row).click()
    const bar = page.getByRole('toolbar', { name: 'Selected runs' })
    await page.locator('.el-table__row').last().scrollIntoViewIfNeeded()
    expect((await bar.boundingBox())?.y).toBeLessThan(200)
    await bar.getByRole('link', { name: 'Compare 2 runs' }).click()
    await page.waitForURL(/compare/)
  })

  it('nothing is cut away on a narrow screen without a way to it', async () => {
    await page.setViewportSize({ width: 1024, height: 768 })
    const pages = [
      '/p/1/runs',
      `/p/1/runs/${ids[PEAK] ?? ''}`,
      '/p/1/pipelines',
      '/p/1/plan?file=plans/summer.gate.yaml',
    ]
    for (const path of pages) {
      await open(path)
      await page.locator('main h1, main h2').first().waitFor()
      const cut = await page.evaluate(() =>
        [...document.querySelectorAll('main button, main a, main h1, main td')].flatMap((one) => {
          const { right, width } = one.getBoundingClientRect()
          const scrolls = one.closest('.el-table, .el-scrollbar, .cm-editor, .el-tabs') !== null
          return width > 0 && right > innerWidth && !scrolls ? [one.textContent.trim()] : []
        }),
      )
      expect([path, cut]).toEqual([path, []])
    }
  })

  it('rows stay when the server is away, and are read again by themselves', async () => {
    await open('/p/1/runs')
    await page.locator('.el-table__row').first().waitFor()
    const rows = await page.locator('.el-table__row').count()
    await place.without(async () => {
      await page.getByText('The server cannot be reached').waitFor()
      expect(await page.locator('.el-table__row').count()).toBe(rows)
    })
    await page.getByText('The server cannot be reached').waitFor({ state: 'detached' })
    expect(await page.locator('.el-table__row').count()).toBe(rows)
    faults.length = 0
  })
})

describe('stages', () => {
  it('that admit have a page of their answers', async () => {
    await open('/p/1/stage?file=pipelines/timetable.pipeline.yaml&stage=production')
    await page.getByText(/Last \d+ changes: /).waitFor()
    expect(await page.getByLabel('Admissions of the stage').innerText()).toMatch(
      /Admitted[^]*review[^]*Refused|Refused[^]*Admitted/,
    )
    expect(await page.getByText('Not run yet').count()).toBe(0)
  })

  it('that run by the clock are listed with both clocks, are paused, and are made from a plan', async () => {
    await open('/p/1/pipelines')
    await page.getByRole('link', { name: 'Schedules' }).click()
    const row = page.locator('.el-table__row', { hasText: 'nightly' })
    expect(await row.innerText()).toMatch(/02:30[^]*Europe\/Oslo/)
    await row.getByRole('button', { name: 'Pause' }).click()
    await row.getByText('paused').waitFor()
    await row.getByRole('button', { name: 'Continue' }).click()

    await open('/p/1/plan?file=plans/smoke.gate.yaml')
    await page.getByLabel('More for this plan').click()
    await page.getByRole('menuitem', { name: 'Schedule…' }).click()
    await page.getByRole('dialog').getByLabel('Stage', { exact: true }).fill('every morning')
    await page.getByRole('dialog').getByRole('button', { name: 'Schedule', exact: true }).click()
    await page.waitForURL(/schedules/)
    await page.locator('.el-table__row', { hasText: 'every morning' }).getByText('Smoke').waitFor()
  })
})
