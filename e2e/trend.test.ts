// Runs from one to the next, as a person reads them: the trend of the demo's recorded runs, what changed, and both
// sides of it beside one another.
import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { Page } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { startApplication, type Application } from './application.js'

let place: Application
let page: Page
let faults: string[]

beforeAll(async () => {
  place = await startApplication(true)
})
afterAll(() => place.stop())
beforeEach(async () => {
  ;({ page, faults } = await place.newPage())
})
afterEach(({ task }) => place.leave(page, faults, task))

const text = (selector: string) => page.locator(selector).allInnerTexts()

describe('the trend of a plan', () => {
  it('shows where the search became slower and was mended, is acknowledged, and leads to both runs', async () => {
    await page.goto(`${place.origin}/p/1/runs`)
    await page.getByRole('link', { name: 'Trend' }).click()
    await page.locator('article').first().waitFor()

    const changes = await text('article h3')
    expect(changes[0]).toMatch(/^p95 response time of "search sailings" fell by \d+ %$/)
    expect(changes[1]).toMatch(/^p95 response time of "search sailings" rose by \d+ %$/)
    expect(await text('article p:nth-of-type(1)')).toEqual([
      expect.stringContaining('between run 17 and run 18'),
      expect.stringContaining('between run 13 and run 14'),
    ])
    // Run 7 was stopped: it is there, and does not count.
    expect(await page.locator('.dot.not-counted').count()).toBeGreaterThan(0)

    await page.getByRole('button', { name: 'Acknowledge…' }).last().click()
    await page.getByLabel('Comment on the shift').pressSequentially('Fares are joined to the search: known')
    await page.keyboard.press('Enter')
    await page.getByText('Fares are joined to the search: known').waitFor()
    await page.reload()
    await page.getByText('Fares are joined to the search: known').waitFor()

    await page.getByRole('link', { name: 'Compare 13 and 14' }).click()
    await page.getByText('Run 14 against run 13').waitFor()
    await page.locator('.words', { hasText: 'Worse' }).waitFor()
    expect((await text('.words'))[0]).toMatch(/^Worse: .*of "search sailings"/)
    expect(await page.locator('.difference.worse').count()).toBeGreaterThan(0)
  })

  it('is chosen run by run with the keyboard, and compares as many as are chosen', async () => {
    await page.goto(`${place.origin}/p/1/trend?plan=plans/watch.gate.yaml&target=harbour`)
    for (const run of [26, 25, 24]) {
      await page.getByLabel(`Select run ${String(run)}`, { exact: true }).focus()
      await page.keyboard.press('Space')
    }
    await page.getByRole('link', { name: 'Compare selected (3)' }).click()

    await page.getByText('Run 26 against run 24').waitFor()
    expect(await page.locator('article h2').count()).toBe(2)
    // One cursor in all lanes: by the pointer, and from there by the keys.
    const chart = await page.locator('.lane canvas').nth(1).boundingBox()
    await page.mouse.move((chart?.x ?? 0) + (chart?.width ?? 0) / 2, (chart?.y ?? 0) + 20)
    expect((await text('.reading'))[1]).toMatch(/^run 24: [\d.]+ ms · run 25: [\d.]+ ms · run 26: [\d.]+ ms$/)
    const at = await page.getByText(/of the first run/).innerText()
    await page.locator('.lanes').focus()
    await page.keyboard.press('ArrowRight')
    await page.getByText(at).waitFor({ state: 'detached' })
    expect(await page.locator('.cursor').count()).toBe(4)
    await page.keyboard.press('Escape')
    expect(await page.locator('.cursor').count()).toBe(0)
    await page.getByRole('button', { name: 'Leave out run 25' }).click()
    await page.getByText('Run 25 against run 24').waitFor({ state: 'detached' })
    expect(new URL(page.url()).searchParams.get('runs')?.split(',')).toHaveLength(2)
  })
})

describe('a pipeline', () => {
  it('shows where changes stand and why, leads to the run, and is approved from the keyboard', async () => {
    await page.goto(`${place.origin}/p/1/runs`)
    await page.getByRole('link', { name: 'Pipelines' }).click()
    await page.getByRole('heading', { name: 'booking service' }).waitFor()
    await page.locator('.file').click()
    await page.getByRole('option', { name: 'pipelines/timetable.pipeline.yaml' }).click()
    await page.getByRole('heading', { name: 'timetable' }).waitFor()
    const row = (commit: string) => page.locator('.el-table__row', { hasText: commit })
    await row('4f4da47').getByText('Shut (failed)', { exact: true }).waitFor()
    expect(await row('4f4da47').innerText()).toMatch(/breached: p95 response time of "search sailings"[^]*Refused/)
    expect(await row('a6a8739').innerText()).toMatch(/Open \(passed\)[^]*Admitted\s+review: open/)
    expect(await row('Load tests of the booking service').innerText()).toMatch(/Not run[^]*Waiting/)

    await row('4f4da47').getByRole('button', { name: 'Approve…' }).focus()
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'Approve', exact: true }).click()
    await page.getByText('say why the change may go on').waitFor()
    await page.getByLabel('Reason').pressSequentially('measured by hand: held')
    await page.getByRole('button', { name: 'Approve', exact: true }).press('Enter')
    await row('4f4da47').getByText('Approved').waitFor()
    expect(await row('4f4da47').innerText()).toContain('Ida Quay: "measured by hand: held"')

    await row('a6a8739').locator('.el-table__expand-icon').click()
    await page.getByRole('link', { name: 'run 13', exact: true }).click()
    await page.waitForURL(/\/runs\/\w+/)
  })

  it('has stages with a history, and is written by form and as text, and not with errors', async () => {
    await page.goto(`${place.origin}/p/1/pipelines?file=pipelines/timetable.pipeline.yaml`)
    await page.getByRole('link', { name: 'review', exact: true }).click()
    await page.getByText(/Last 26: 19 open, 4 shut, 2 void, 1 stopped; usually 1\d s/).waitFor()
    const history = page.getByLabel('History of the stage')
    expect(await history.locator('tbody tr').first().innerText()).toMatch(
      /7286a9e[^]*Open \(passed\)[^]*Timetable watch/,
    )

    await page.getByRole('link', { name: 'Pipelines' }).last().click()
    await page.getByRole('button', { name: 'New…' }).click()
    await page.getByLabel('File name').fill('quay')
    await page.getByRole('textbox', { name: 'Pipeline', exact: true }).fill('quay')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'Add to stage staging…' }).click()
    await page.getByRole('menuitem', { name: /^Comes after/ }).click()
    // What it begins as names a stage that is none.
    await page.locator('aside .fault').waitFor()
    await page.getByLabel('Commit message').fill('A pipeline for the quay')
    expect(await page.getByRole('button', { name: 'Commit' }).isDisabled()).toBe(true)
    await page.getByRole('button', { name: 'Remove after' }).click()
    await expect.poll(() => text('aside')).toEqual([expect.stringMatching(/Problems\s+none/)])
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect
      .poll(() => page.locator('.cm-content').innerText())
      .toMatch(/pipeline: quay[^]*requires: \[staging within 24h\]/)
    await page.getByRole('button', { name: 'Commit' }).click()
    await page.waitForURL(/\/pipelines/)
    await page.locator('.file').click()
    await page.getByRole('option', { name: 'pipelines/quay.pipeline.yaml' }).click()
    await page.getByRole('heading', { name: 'quay' }).waitFor()
  })
})

describe('integrations', () => {
  it('tell a board of what happens: added by keys, tested, tried again, sent again, paused; and show a badge', async () => {
    const heard: string[] = []
    const board = createServer((request, response) => {
      heard.push(String(request.headers['webhook-id']))
      request.resume()
      response.writeHead(heard.length === 1 ? 503 : 200).end('on the board')
    })
    await new Promise<void>((resolve) => board.listen(0, '127.0.0.1', resolve))
    const address = board.address()
    const url = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}/board`
    await page.goto(`${place.origin}/p/1/pipelines`)
    await page.getByRole('link', { name: 'Integrations' }).click()

    await page.getByRole('button', { name: 'Add a webhook…' }).press('Enter')
    await expect.poll(() => page.evaluate(() => document.activeElement?.matches('.el-dialog input'))).toBe(true)
    await page.keyboard.type('http://harbour.example/board')
    await page.keyboard.press('Enter')
    await page.getByText('https:// alone').waitFor()
    // The browser, too, notes that it was refused.
    expect(faults.splice(0)).toEqual([expect.stringContaining('400')])
    await page.getByLabel('Address').fill(url)
    await page.keyboard.press('Enter')
    await expect.poll(() => text('.shown code')).toEqual([expect.stringMatching(/^whsec_[\w+/]{43}=$/)])
    await page.getByRole('button', { name: `Test ${url}` }).click()
    const delivery = page.getByLabel('Deliveries').locator('tbody tr').first()
    await expect.poll(() => delivery.innerText()).toMatch(/webhook.test[^]*Ida Quay[^]*attempt 2 soon[^]*503/)
    await page.getByRole('button', { name: /^Send again/ }).click()
    await expect.poll(() => delivery.innerText()).toMatch(/delivered, 2 attempts[^]*200 on the board/)
    expect(new Set(heard).size).toBe(1)
    await page.getByRole('button', { name: `Pause ${url}` }).click()
    await page.getByRole('button', { name: `Continue ${url}` }).waitFor()

    await page.getByRole('button', { name: 'Make badges public' }).click()
    const badge = page.getByRole('img', { name: 'The badge as others see it' })
    await expect.poll(() => badge.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(100)
    await page.getByLabel('Runs a day').fill('40')
    await page.getByRole('button', { name: 'Save' }).click()
    await page.reload()
    await expect.poll(() => page.getByLabel('Runs a day').inputValue()).toBe('40')
    board.closeAllConnections()
    board.close()
  })
})

describe('a protected default branch', () => {
  it('takes a change by a branch that somebody else approves, and is merged from its page', async () => {
    const git = (...words: string[]) => execFileSync('git', words, { cwd: place.demo, encoding: 'utf8' }).trim()
    const colleague = ['-c', 'user.name=Tove Berth', '-c', 'user.email=tove@larkholm.example']
    const commit = git(...colleague, 'commit-tree', 'HEAD^{tree}', '-p', 'HEAD', '-m', 'Nothing but a word')
    git('branch', 'a-word', commit)
    await page.goto(`${place.origin}/p/1/plans`)
    await page.getByRole('link', { name: 'Merges' }).click()
    await page.getByRole('switch', { name: 'Protected' }).press('Space')
    await page.getByText('protected', { exact: true }).waitFor()

    await page.goto(`${place.origin}/p/1/plan?file=plans/smoke.gate.yaml`)
    await page.locator('.cm-content').click()
    await page.keyboard.press('Control+End')
    await page.keyboard.type('# said once more')
    await page.getByRole('button', { name: 'Commit…' }).click()
    await page.getByLabel('Commit message').fill('Say it once more')
    await page.keyboard.press('Enter')
    await page.getByText('the default branch is protected').waitFor()
    expect(faults.splice(0)).toEqual([expect.stringContaining('403')])
    await page.getByLabel('Name of a new branch, which the commit goes to').fill('once-more')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: /^branch\s+once-more$/ }).waitFor()

    await page.goto(`${place.origin}/p/1/merges`)
    await page.getByRole('button', { name: 'Approve once-more' }).waitFor()
    expect(await page.getByRole('button', { name: 'Approve once-more' }).isDisabled()).toBe(true)
    expect(await page.getByRole('button', { name: 'Merge a-word' }).isDisabled()).toBe(true)
    await page.getByRole('button', { name: 'Approve a-word' }).press('Enter')
    await page.getByText(/Ida Quay, just now/).waitFor()
    await page.getByRole('button', { name: 'Merge a-word' }).press('Enter')
    await expect.poll(() => page.getByText('Nothing but a word').count()).toBe(0)
    expect(git('rev-parse', 'main^2')).toBe(commit)

    await page.getByRole('switch', { name: 'Protected' }).press('Space')
    await page.getByText('not protected', { exact: true }).waitFor()
  })
})

describe('a run', () => {
  // The search looks at commits too, whose hashes hold any number.
  const openRun = async (number: string) => {
    await page.goto(`${place.origin}/p/1/runs?search=${number}`)
    const row = page.locator('.el-table__row').filter({ has: page.getByText(number, { exact: true }) })
    await row.locator('.verdict').first().click()
  }

  it('is kept as the baseline from its page, and the trend names it', async () => {
    await openRun('23')
    await page.getByRole('button', { name: 'More' }).click()
    await page.getByRole('menuitem', { name: 'Pin as baseline' }).click()
    await page.locator('.kept').waitFor()

    await page.getByRole('button', { name: 'More' }).click()
    await page.getByRole('menuitem', { name: 'Show the trend' }).click()

    await page.getByRole('heading', { name: 'Baseline on main' }).waitFor()
    expect((await text('aside section:nth-of-type(2)'))[0]).toMatch(/Run 23, pinned/)
  })

  it('is saved as files: a lane as a picture, its seconds as CSV', async () => {
    await openRun('23')
    const saved = async (act: () => Promise<void>) => {
      const [file] = await Promise.all([page.waitForEvent('download'), act()])
      return { name: file.suggestedFilename(), bytes: readFileSync(await file.path()) }
    }

    await page.locator('.lane canvas').first().waitFor()
    await page.getByRole('button', { name: 'Lane Response time' }).press('Enter')
    const picture = await saved(() => page.getByRole('menuitem', { name: 'Save as PNG' }).click())
    await page.getByRole('button', { name: 'More' }).click()
    const table = await saved(() => page.getByRole('menuitem', { name: 'CSV by second' }).click())

    expect(picture.name).toBe('Timetable watch run 23 time.png')
    // The signature of PNG, ISO/IEC 15948.
    expect([...picture.bytes.subarray(0, 8)]).toEqual([137, 80, 78, 71, 13, 10, 26, 10])
    expect(picture.bytes.length).toBeGreaterThan(5000)
    expect(table.bytes.toString().split('\n').length).toBeGreaterThan(9)
  })
})

describe('a run that is read together', () => {
  it("has a lane of one's own, a mark and a view, and is read by a link without an account", async () => {
    await page.goto(`${place.origin}/p/1/runs?plan=plans/watch.gate.yaml&verdict=shut`)
    await page.locator('.el-table__row').first().click()
    await page.locator('.lane').first().waitFor()
    await page.getByRole('button', { name: '+ Lane' }).click()
    await page.getByRole('combobox', { name: 'Series' }).fill('search sailings p95')
    await page.getByRole('option', { name: 'search sailings p95' }).click()
    await page.keyboard.press('Tab')
    await page.getByRole('button', { name: 'Add', exact: true }).click()
    await page.locator('.lane', { hasText: 'search sailings' }).waitFor()
    expect(decodeURIComponent(page.url())).toContain('step~search%20sailings~p95')

    await page.getByRole('group', { name: /Run chart/ }).focus()
    for (const key of ['ArrowRight', 'ArrowRight', 'ArrowRight', 'm']) await page.keyboard.press(key)
    await page.getByLabel('What happened').pressSequentially('deployed 1.4.2')
    await page.keyboard.press('Enter')
    await page.locator('.mark', { hasText: 'deployed 1.4.2' }).waitFor()

    await page.getByRole('button', { name: /^View/ }).click()
    await page.getByRole('menuitem', { name: 'Save as view…' }).click()
    await page.getByLabel('Name of the view').fill('Search')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'View: Search' }).waitFor()

    await page.getByRole('button', { name: 'More' }).click()
    await page.getByRole('menuitem', { name: 'Share…' }).click()
    await page.getByRole('button', { name: 'Make a link' }).click()
    const link = await page.getByLabel('The link, shown once').inputValue()
    const stranger = await place.newStranger()
    await stranger.goto(link)
    await stranger.locator('.mark', { hasText: 'deployed 1.4.2' }).waitFor()
    await stranger.getByText('Shut (failed)').waitFor()
    await stranger.locator('.el-table__row').first().waitFor()
    expect(await stranger.getByRole('button', { name: /^(More|Run again|View)/ }).count()).toBe(0)
    await page.getByRole('button', { name: 'Revoke', exact: true }).click()
    await page.getByRole('button', { name: 'Revoke', exact: true }).waitFor({ state: 'detached' })
    await stranger.reload()
    await stranger.getByText(/this link does not open anything/).waitFor()
    await stranger.context().close()
  })
})
