// WCAG 2.1, levels A and AA, as far as a program can tell: axe-core.
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import type { Page } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { startApplication, type Application } from './application.js'

const source = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8')
const PLAN = '/p/1/plan?file=plans/summer.gate.yaml'
const PIPELINE = '/p/1/pipelines?file=pipelines/timetable.pipeline.yaml'
const PIPELINE_FILE = '/p/1/pipeline-file?file=pipelines/booking.pipeline.yaml'
const STAGE = '/p/1/stage?file=pipelines/timetable.pipeline.yaml&stage=review'
const TREND = '/p/1/trend?plan=plans/watch.gate.yaml&target=harbour'
/** Of runs whose ids the database gives. */
const addressOf: Readonly<Record<string, () => Promise<string>>> = {
  run: async () => {
    const { runs } = (await askedOf('/projects/1/runs?verdict=shut')) as { runs: { id: string }[] }
    return `/p/1/runs/${runs[0]?.id ?? ''}?show=slowest&lanes=load,time,step~view sailing~p95`
  },
  compare: async () => {
    const { runs } = (await askedOf('/projects/1/runs')) as { runs: { id: string }[] }
    return `/p/1/compare?runs=${runs
      .slice(8, 11)
      .map(({ id }) => id)
      .join(',')}`
  },
}
const PAGES = [
  '/p/1/plans',
  PLAN,
  `${PLAN}&as=form&line=25`,
  `${PLAN}&as=changes`,
  `${PLAN}&as=history`,
  '/p/1/rehearsal?file=plans/smoke.gate.yaml',
  '/p/1/import',
  '/p/1/targets',
  '/p/1/generators',
  '/p/1/runs',
  PIPELINE,
  '/p/1/integrations',
  '/p/1/schedules',
  '/p/1/stage?file=pipelines/timetable.pipeline.yaml&stage=production',
  '/p/1/rehearsal?file=plans/smoke.gate.yaml&go=1',
  STAGE,
  PIPELINE_FILE,
  TREND,
  'compare',
  'run',
  '/account',
  '/people',
  '/access',
  '/p/1/merges',
  '/audit-log',
  '/?add=yes',
]
/** What is open over a page just now; there is something, or axe says that there is no such part. */
const OPEN =
  "{ include: [...document.querySelectorAll('.el-overlay, .el-popper')].filter((one) => one.checkVisibility()) }"
/** The dialogs, menus and popovers of a page, by the button that opens each; Escape closes it. */
const OPENED: Readonly<Record<string, readonly (string | RegExp)[]>> = {
  '/p/1/plans': ['Remote…', 'branch main', 'Clone…', 'New plan…', /Find or do/],
  [PLAN]: ['More for this plan', 'Add a gate…', '300 ms'],
  [`${PLAN}&as=form`]: ['Add a part…'],
  '/p/1/targets': ['Delete', 'Rename…'],
  [PIPELINE]: ['Approve…', 'Run a stage…'],
  '/p/1/integrations': ['Add a webhook…'],
  [TREND]: ['Acknowledge…'],
  run: [/^\+ Lane/, /^View/, /^More/],
  '/p/1/runs': ['How long runs are kept…'],
  '/people': [/^Reset password/],
}

let place: Application
let page: Page

beforeAll(async () => {
  place = await startApplication(true)
})
afterAll(() => place.stop())
beforeEach(async () => {
  ;({ page } = await place.newPage())
})
afterEach(({ task }) => place.leave(page, [], task))

async function open(path: string): Promise<void> {
  await page.goto(`${place.origin}${await (addressOf[path]?.() ?? path)}`)
  await page.locator('main h1, main h2').first().waitFor()
  await page.waitForTimeout(300)
  // Colours that are on their way to others are none that a person reads.
  await page.addStyleTag({ content: '* { transition: none !important; animation: none !important }' })
}

/** What the API answers whoever is signed in. */
async function askedOf(path: string): Promise<unknown> {
  return (await page.request.get(`${place.origin}/api${path}`)).json()
}

type Theme = 'light' | 'dark'

/**
 * What axe finds; in the dark theme, which changes colours alone, of colours alone.
 *
 * @param within - of which part of the page; what stands behind a dialog was looked at already
 */
async function found(where: string, theme: Theme, within: string): Promise<string[]> {
  await page.evaluate(`document.documentElement.dataset.theme = '${theme}'`)
  const rules = theme === 'dark' ? { type: 'rule', values: ['color-contrast'] } : { type: 'tag', values: TAGS }
  const violations = await page.evaluate(
    `axe.run(${within}, { runOnly: ${JSON.stringify(rules)} }).then(({ violations }) => violations.map(({ id, nodes }) => id + ": " + nodes.slice(0, 3).map(({ target, failureSummary }) => target.join(" ") + " " + failureSummary).join(" | ")))`,
  )
  return (violations as string[]).map((violation) => `${where} (${theme}) ${violation}`)
}
const TAGS = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']

/** Both themes of what is shown just now. */
async function violations(where: string, within = 'document'): Promise<string[]> {
  // The content policy of the application lets no script in: this one is put into the page by the browser itself.
  if (await page.evaluate('typeof axe === "undefined"')) await page.evaluate(source)
  return [...(await found(where, 'light', within)), ...(await found(where, 'dark', within))]
}

describe('in both themes', () => {
  it('every page can be read and used by everybody', async () => {
    const all: string[] = []
    for (const path of PAGES) {
      await open(path)
      all.push(...(await violations(path)))
    }
    expect(all).toEqual([])
  })

  it('every dialog, menu and popover can, too', async () => {
    const all: string[] = []
    for (const [path, buttons] of Object.entries(OPENED)) {
      await open(path)
      for (const name of buttons) {
        await page
          .getByRole('button', { name, exact: typeof name === 'string' })
          .first()
          .click()
        await page.waitForTimeout(200)
        all.push(...(await violations(`${path} ${String(name)}`, OPEN)))
        await page.keyboard.press('Escape')
        await page.waitForTimeout(100)
      }
    }
    expect(all).toEqual([])
  })
})
