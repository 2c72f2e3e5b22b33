// The workbench for writing: a rehearsal whose steps are changed beside it, a form that loses nothing, no dead ends.
import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
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
  page.on('dialog', (dialog) => void dialog.accept())
})
afterEach(({ task }) => place.leave(page, faults, task))

/** A test that is made again finds what it left: it goes by another number. */
let round = 0
beforeEach(() => {
  round++
})
const SMOKE = 'plans/smoke.gate.yaml'
const open = (path: string) => page.goto(`${place.origin}${path}`)
const openPlan = async (as: 'text' | 'form' = 'text', file = SMOKE) => {
  await open(`/p/1/plan?file=${file}&as=${as}`)
  await page.locator('.outline').getByText('search sailings').first().waitFor()
}
const button = (name: string | RegExp) => page.getByRole('button', { name, exact: typeof name === 'string' })
const problems = () => page.locator('.problems').innerText()
/** Opens a list to choose from. */
const openSelect = (name: string) => page.locator('.el-select', { has: page.getByRole('combobox', { name }) }).click()
const editor = () => page.getByLabel('Text of the plan')

describe('writing', () => {
  it('refuses a name in braces that no value has, with the one that is meant, and leads to its line', async () => {
    await openPlan()
    await page.locator('.cm-line', { hasText: 'send:' }).click()
    await page.keyboard.press('End')
    await page.keyboard.insertText('?people={run-seed}')
    await expect.poll(problems).toMatch(/"\{run-seed\}" is no value[^]*Did you mean "\{run\.seed\}"/)
    expect(await button('Commit and run…').isDisabled()).toBe(true)
    await page.locator('.problem', { hasText: 'run-seed' }).click()
    expect(await page.locator('.cm-activeLine').innerText()).toContain('run-seed')
    const [list, row] = await Promise.all(
      ['.problems', '.problem'].map((part) => page.locator(part).first().boundingBox()),
    )
    expect((row?.x ?? 0) + (row?.width ?? 0)).toBeLessThanOrEqual((list?.x ?? 0) + (list?.width ?? 0) + 1)
  })

  it('keeps an unfinished body between form and text, and runs nothing meanwhile', async () => {
    await openPlan('form')
    await page.locator('.outline').getByText('view sailing').click()
    await page.getByRole('tab', { name: /^Body/ }).click()
    await page.getByText('JSON', { exact: true }).click()
    const body = page.locator('.form').getByLabel('Body', { exact: true })
    await body.fill('{"people": 2,')
    await body.blur()
    await expect.poll(problems).toMatch(/the JSON in the form is not valid yet/)
    expect(await button('Commit and run…').isDisabled()).toBe(true)
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect.poll(problems).toMatch(/the JSON in the form/)
    await page.locator('.problem', { hasText: 'the JSON in the form' }).click()
    await expect.poll(() => body.inputValue()).toBe('{"people": 2,')
    await body.fill('{"people": 2}')
    await body.blur()
    await expect.poll(problems).not.toMatch(/the JSON in the form/)
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect.poll(() => editor().innerText()).toContain('people: 2')
  })

  it('opens a limit with the cursor in it, and tries it on past runs', async () => {
    await openPlan('text', 'plans/watch.gate.yaml')
    await page.locator('.gate .limit').first().click()
    await page.getByLabel('Limit').and(page.locator(':focus')).waitFor()
    await page.keyboard.type('1 ms')
    await button('Try this limit on past runs').click()
    await page.getByText(/would have held in 0 of the last \d+ runs; breached in runs/).waitFor()
    await page.getByLabel('Limit').fill('60 s')
    await page.getByText(/would have held in (\d+) of the last \1 runs/).waitFor()
  })

  it('puts a value where the cursor stands, shows a new journey, and the inside of shared steps', async () => {
    await openPlan('form')
    await page.locator('.outline').getByText('view sailing').click()
    const address = page.locator('.form').getByLabel('Address')
    await address.fill('/sailings/{sailing}?at=')
    await page.getByRole('tab', { name: /^Body/ }).click()
    await address.click()
    await page.keyboard.press('End')
    await page.locator('.known').getByText('run.id').click()
    expect(await address.inputValue()).toBe('/sailings/{sailing}?at={run.id}')
    await address.blur()

    await button('+ Journey').click()
    await page.locator('.outline .here', { hasText: 'visit' }).waitFor()
    await page.locator('.outline').getByText('search sailings').first().click()
    const inside = page.getByLabel('Content of steps/search.steps.yaml')
    await inside.locator('.here', { hasText: 'send' }).waitFor()
    await button('Back to the plan').click()
    await inside.waitFor({ state: 'detached' })
  })

  it('chooses targets, rates, lengths and kinds of values instead of typing them', async () => {
    await openPlan('form')
    await page.locator('.form').getByLabel('Target', { exact: true }).click()
    await page.getByRole('option', { name: 'staging' }).click()
    await page.getByText('Values', { exact: true }).click()
    await openSelect('Kind of day')
    await page.getByRole('option', { name: 'UUID' }).click()
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect.poll(() => editor().innerText()).toMatch(/target: staging[^]*uuid: v4/)
    await page.locator('.cm-line', { hasText: 'phase:' }).click()
    await page.getByRole('tab', { name: 'Form' }).click()
    await openSelect('Unit of Length')
    await page.getByRole('option', { name: 'minutes' }).click()
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect.poll(() => editor().innerText()).toContain('for: 8m')
  })

  it('follows two hundred pasted steps in the outline', async () => {
    await openPlan()
    const steps = Array.from(
      { length: 200 },
      (_, n) => `      - send: GET /sailings?n=${String(n)}\n        name: pasted ${String(n)}\n`,
    )
    await page.locator('.cm-line', { hasText: 'send:' }).click()
    await page.keyboard.press('Home')
    await page.keyboard.insertText(steps.join('').trimStart())
    await page.locator('.outline').getByText('pasted 199', { exact: true }).waitFor()
  })
})

describe('a rehearsal', () => {
  it('shows what was when it is read again, and sends only when somebody says so', async () => {
    const made = async () => {
      const answer = await page.request.get(`${place.origin}/api/projects/1/rehearsals?plan=${SMOKE}`)
      return ((await answer.json()) as { rehearsals: { id: string }[] }).rehearsals.map(({ id }) => id)
    }
    await openPlan()
    await button('Rehearse').click()
    await expect.poll(() => page.locator('.outcome').innerText()).toMatch(/Passed/)
    const [first] = await made()
    await page.reload()
    await expect.poll(() => page.locator('.outcome').innerText()).toMatch(/ago: Passed|just now: Passed/)
    expect(await page.locator('.step').count()).toBe(2)
    expect((await made())[0]).toBe(first)
    await button('Rehearse again').click()
    await expect.poll(async () => (await made())[0]).not.toBe(first)
  })

  it('changes its steps beside their answers, keeps and checks by a click, and makes one step again', async () => {
    await open(`/p/1/rehearsal?file=${SMOKE}&go=1`)
    await expect.poll(() => page.locator('.outcome').innerText()).toMatch(/Passed/)
    await page.locator('.step', { hasText: 'view sailing' }).click()
    await button('Edit this step').click()
    await page.getByLabel('The step in the plan').getByLabel('Address').waitFor()
    await page.locator('.exchange .tree').getByText('places').click()
    await button('Keep it').click()
    await page.locator('.exchange').getByRole('button', { name: 'Add check' }).click()
    await page.getByText(/lines? changed, not committed/).waitFor()
    await button('Rehearse this step again').click()
    await expect.poll(() => page.locator('.kept').innerText()).toContain('places')
    expect(await page.locator('.check', { hasText: 'json $.places is' }).innerText()).toMatch(/^held/)
    await page.getByRole('link', { name: `back to ${SMOKE}` }).click()
    await expect.poll(() => editor().innerText()).toMatch(/json \$\.places is \d+/)
  })
})

describe('two people', () => {
  it('who change one line see both, and take one, the other or both', async () => {
    await openPlan('text', 'plans/overload.gate.yaml')
    await page.locator('.cm-line', { hasText: /^name:/ }).click()
    await page.keyboard.press('End')
    await page.keyboard.insertText(' mine')
    const file = join(place.demo, 'plans/overload.gate.yaml')
    execFileSync('sed', ['-i', `s/^name: .*/name: Theirs ${String(round)}/`, file])
    execFileSync(
      'git',
      ['-c', 'user.name=Jon Buoy', '-c', 'user.email=jon@larkholm.example', 'commit', '-qam', 'Rename it'],
      {
        cwd: place.demo,
      },
    )
    await page.getByText(/Jon Buoy, .* changed this file/).waitFor()
    await button('Merge both: choose at 1 place…').click()
    const dialog = page.getByRole('dialog')
    expect(await dialog.innerText()).toMatch(/mine[^]*Theirs/)
    expect(await dialog.getByRole('button', { name: 'Merge' }).isDisabled()).toBe(true)
    await dialog.getByText('Take theirs').click()
    await dialog.getByRole('button', { name: 'Merge' }).click()
    await expect.poll(() => editor().innerText()).toContain(`name: Theirs ${String(round)}`)
    await page.getByRole('alert').waitFor({ state: 'detached' })
  })

  it('go to the branches from the plan, and the name of a new one is gone once it is made', async () => {
    await openPlan()
    await button(/^branch/).click()
    const name = page.getByLabel('Name of a new branch')
    await name.fill(`calmer-${String(round)}`)
    await button('Create').click()
    await button(`branch calmer-${String(round)}`).waitFor()
    await button(`branch calmer-${String(round)}`).click()
    expect(await name.inputValue()).toBe('')
    await page.getByRole('link', { name: 'Compare and merge…' }).click()
    await page.getByRole('heading', { name: 'Merges' }).waitFor()
  })
})

describe('targets', () => {
  it('take an imported plan of their origin, and leave no address behind when they are deleted', async () => {
    await open('/p/1/import')
    await page.getByLabel(/Or paste/).fill(`curl ${place.ferries}/sailings?n=${String(round)}`)
    await button('Read').click()
    await page.getByText('which has this origin').waitFor()
    expect(await page.getByLabel('The draft').innerText()).toMatch(/^target: harbour$/m)

    await open('/p/1/targets?new=')
    await page.getByLabel('Name', { exact: true }).fill(`pier-${String(round)}`)
    await page.getByLabel('Commit message').fill('A pier')
    await button('Commit').click()
    await page.waitForURL(new RegExp(`target=pier-${String(round)}`))
    await button('Delete').click()
    await page.getByRole('tooltip').getByRole('button', { name: 'Delete' }).click()
    await expect.poll(() => page.url()).toMatch(/\/targets$/)
    await page.getByRole('heading', { name: 'harbour' }).waitFor()
  })

  it('beyond loopback say step by step what is missing before they may be loaded', async () => {
    await open('/p/1/targets?new=')
    await page.getByLabel('Name', { exact: true }).fill(`far-${String(round)}`)
    await page.getByRole('tab', { name: 'Text' }).click()
    await page.getByLabel('Text of the target').click()
    await page.keyboard.press('Control+a')
    await page.keyboard.insertText('origin: http://ferries.example\n')
    await page.getByLabel('Commit message').fill('Far away')
    await button('Commit').click()
    await page.waitForURL(/target=far/)
    const steps = page.locator('.steps')
    await steps.getByText('Asked for', { exact: true }).waitFor()
    expect(await steps.locator('li[aria-current=step]').innerText()).toMatch(/add permission to its file/)
    expect(await page.getByLabel('Targets').innerText()).toContain('no permission yet')
  })
})

describe('a run', () => {
  it('draws the planned load before its first second', async () => {
    const text = readFileSync(join(place.demo, SMOKE), 'utf8').replace(
      'journeys:',
      'setup:\n  - wait: 20s\n  - send: GET /health\njourneys:',
    )
    await openPlan()
    await editor().click()
    await page.keyboard.press('Control+a')
    await page.keyboard.insertText(text)
    await button('Commit and run…').click()
    await page.getByLabel('Commit message').fill('Begin slowly')
    await page
      .getByRole('dialog')
      .getByRole('button', { name: /Commit and run/ })
      .click()
    await page.waitForURL(/\/runs\/\w+/)
    await page.getByText(/Waiting for the first second|Queued/).waitFor()
    await expect.poll(() => page.locator('.lane .title').first().innerText()).toMatch(/due\s+8\/s/)
    await button('Stop').click()
  })
})
