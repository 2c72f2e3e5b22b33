import type { Page } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { startApplication, type Application } from './application.js'

let place: Application
let origin: string
let page: Page
let faults: string[]

beforeAll(async () => {
  place = await startApplication()
  origin = place.origin
})
afterAll(() => place.stop())
beforeEach(async () => {
  ;({ page, faults } = await place.newPage())
})
afterEach(({ task }) => place.leave(page, faults, task))

const editor = () => page.getByLabel('Text of the plan')
/** Replaces a piece of the plan's text, as a person would: search, select, type. */
async function retype(before: string, after: string): Promise<void> {
  await editor().click()
  await page.keyboard.press('Control+f')
  const field = page.locator('.cm-search input[name=search]')
  await field.pressSequentially(before)
  await field.press('Enter')
  await field.press('Escape')
  await page.keyboard.type(after)
}

/** The browser begins and ends to be offline in its own time: what comes next must not be ahead of it. */
async function goOffline(isOffline: boolean): Promise<void> {
  await page.context().setOffline(isOffline)
  const answers = () => fetch('/api/session').then(Boolean, () => false)
  await expect.poll(() => page.evaluate(answers)).toBe(!isOffline)
}

describe('the application', () => {
  it('says when the server cannot be reached, on pages that were open before and on those that were not', async () => {
    await page.goto(`${origin}/p/1/plans`)
    await page.getByRole('heading', { name: 'Plans' }).waitFor()
    await goOffline(true)
    await page.getByRole('link', { name: 'Runs' }).click()
    await page.getByRole('alert').getByText('The page could not be loaded').waitFor()
    await goOffline(false)
    await page.getByRole('button', { name: 'Try again' }).click()
    await page.getByRole('heading', { name: 'Runs', level: 1 }).waitFor()

    await goOffline(true)
    await page.getByRole('link', { name: 'Targets' }).click()
    await goOffline(false)
    await page.getByRole('button', { name: 'Try again' }).click()
    await page.getByRole('heading', { name: 'Targets', level: 1 }).waitFor()
    await goOffline(true)
    await page.getByRole('link', { name: 'Plans' }).click()
    // What was read before stays.
    await page.getByRole('link', { name: 'Smoke' }).waitFor()
    await goOffline(false)
    // The browser writes each failed request into its console.
    faults.length = 0
  })

  it('opens on the plans of the project, and a plan on its text, gates and load', async () => {
    await page.goto(origin)
    await page.getByRole('link', { name: 'Summer timetable opens' }).click()

    await expect.poll(() => page.locator('.gate').count()).toBe(4)
    expect(await page.locator('.outline').innerText()).toMatch(
      /sign in the purser[^]*look around[^]*7 of 10[^]*checkout/,
    )
    expect(await page.locator('.totals').innerText()).toMatch(/1 min[^]*2\s?280/)
  })

  it('shows a plan with everything in it: tracks, concurrent users, branches, a gate of each step, a load that has not held yet', async () => {
    await page.goto(`${origin}/p/1/plan?file=plans/day.gate.yaml`)

    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/one name in several journeys/)
    expect(await page.locator('.outline').innerText()).toMatch(
      /One of \d+, weight 3[^]*scripts\/fares.ts#quote[^]*when status is 201[^]*own load[^]*parallel/,
    )
    expect(await page.locator('.gates').innerText()).toMatch(
      /p95 response time of each step under 400 ms[^]*stops the run after 5 breached seconds in a row/,
    )
    expect(await page.locator('.picture').textContent()).toMatch(/tide at 20\/s[^]*6 users/)
    expect(await page.locator('.growth').innerText()).toMatch(/no run against this target was open yet|reaches 20\/s/)
  })

  it('shows problems at their place while one types, and clears them when they are fixed', async () => {
    await page.goto(`${origin}/p/1/plan?file=plans/smoke.gate.yaml`)
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/none/)

    await retype('under 500 ms', 'undr 500 ms')
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/Did you mean "under"\?/)
    expect(await page.getByRole('button', { name: 'Commit and run' }).isDisabled()).toBe(true)

    await retype('undr 500 ms', 'under 700 ms')
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/none/)
    expect(await page.locator('.gate').first().innerText()).toMatch(/under 700 ms/)
    page.on('dialog', (dialog) => void dialog.accept())
  })

  it('lets a person change a limit, commit, run, watch it live, see it shut, and find it again after a reload', async () => {
    await page.goto(`${origin}/p/1/plan?file=plans/overload.gate.yaml`)
    await page.getByRole('button', { name: '1 %', exact: true }).click()
    await page.getByRole('textbox', { name: 'Limit' }).fill('0.5 %')
    await page.getByRole('button', { name: 'Change', exact: true }).click()
    await expect.poll(() => page.locator('.gates').innerText()).toMatch(/failed requests at most 0.5 %/)

    await page.getByRole('button', { name: 'Commit and run' }).click()
    await page.getByLabel('Commit message').fill('One in two hundred may fail')
    await page.getByRole('dialog').getByRole('button', { name: 'Commit and run' }).click()

    await page.waitForURL(/\/runs\/\w+/)
    await expect.poll(() => page.locator('.verdict .title').innerText()).toBe('Running')
    await expect.poll(() => page.locator('.el-table__row').count()).toBe(3)
    await page.getByText('1 running').waitFor()

    await expect.poll(() => page.locator('.verdict .title').innerText()).toMatch(/Shut|Void/)
    const verdict = await page.locator('.column').innerText()
    // On a machine that is too busy the run is void; on any other the overload is shut.
    if (!verdict.includes('late at p99')) expect(verdict).toMatch(/^Shut/)
    expect(verdict).toMatch(/failed requests at most 0.5 %/)
    // The target's metrics have a lane of their own.
    expect(await page.locator('.lanes').innerText()).toMatch(/Target metrics\s+peak\s+busy places\s+\d/)
    const address = page.url()
    await page.reload()
    await expect.poll(() => page.locator('.column').innerText()).toBe(verdict)

    await page.getByRole('link', { name: 'Runs', exact: true }).click()
    // The page of the run bears the same name until the list is there.
    await page.locator('.el-table__row', { hasText: 'Beyond capacity' }).first().click()
    await expect.poll(() => page.url()).toBe(address)
  })

  it('computes every step again for a time range selected with the keyboard, and keeps it in the address', async () => {
    await page.goto(`${origin}/p/1/runs`)
    await page.getByText('Beyond capacity').first().click()
    // Of a run that goes on, the numbers would grow.
    await expect.poll(() => page.locator('.verdict .title').innerText()).toMatch(/Shut|Void/)
    const requests = () => page.locator('.el-table__row').first().locator('td').nth(1).innerText()
    await page.locator('.lanes canvas').first().waitFor()
    await expect.poll(requests).not.toBe('0')
    const whole = Number((await requests()).replace(/\D/g, ''))

    await page.locator('.lanes').focus()
    for (let press = 0; press < 3; press++) await page.keyboard.press('Shift+ArrowRight')

    await page.getByText('computed for 0:00 – 0:04').waitFor()
    await expect.poll(async () => Number((await requests()).replace(/\D/g, ''))).toBeLessThan(whole / 3)
    expect(page.url()).toMatch(/range=0-4/)
    await page.keyboard.press('Escape')
    await expect.poll(async () => Number((await requests()).replace(/\D/g, ''))).toBe(whole)
  })

  it('stops a run when a person says so', async () => {
    await page.goto(`${origin}/p/1/plan?file=plans/summer.gate.yaml`)
    await page.getByRole('button', { name: 'Run', exact: true }).click()
    await page.locator('.lanes').waitFor()

    await page.getByRole('button', { name: 'Stop' }).click()

    await expect.poll(() => page.locator('.verdict .title').innerText()).toBe('Stopped')
    expect(await page.locator('.reasons').first().innerText()).toBe('stopped by Ida Quay in the application')
  })
})
