// From what exists to a rehearsed, committed plan: by form alone, and by text alone.
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
  place = await startApplication()
})
afterAll(() => place.stop())
beforeEach(async () => {
  ;({ page, faults } = await place.newPage())
})
afterEach(({ task }) => place.leave(page, faults, task))

/** A test that is made again finds what it left: it goes by another number. */
let round = 0
beforeEach(() => {
  round++
})

const open = (path: string) => page.goto(`${place.origin}${path}`)
const onDisk = (file: string) => readFileSync(join(place.demo, file), 'utf8')
const lastCommit = () =>
  execFileSync('git', ['log', '-1', '--format=%an: %s'], { cwd: place.demo, encoding: 'utf8' }).trim()
const editor = () => page.getByLabel('Text of the plan')
const button = (name: string | RegExp) => page.getByRole('button', { name, exact: typeof name === 'string' })

async function commit(why: string): Promise<void> {
  await button('Commit…').click()
  await page.getByLabel('Commit message').fill(why)
  await page.getByRole('dialog').getByRole('button', { name: 'Commit', exact: true }).click()
  await page.getByRole('dialog').waitFor({ state: 'hidden' })
}
async function rehearse(): Promise<string> {
  await button('Rehearse').click()
  await expect.poll(() => page.locator('.outcome').innerText()).toMatch(/Passed|Failed/)
  return page.locator('.outcome').innerText()
}
/** A visit of the Larkholm website, recorded by this browser as HAR. */
async function recordVisit(): Promise<string> {
  const path = join(place.folder, 'visit.har')
  const context = await place.browser.newContext({ recordHar: { path, content: 'embed' } })
  const visit = await context.newPage()
  await visit.goto(place.ferries)
  await visit.getByRole('link', { name: 'LARKHOLM' }).click()
  await visit.waitForTimeout(700)
  await visit.getByRole('link', { name: 'OSTREY' }).first().click()
  await visit.getByLabel('People').fill('3')
  await visit.getByRole('button', { name: 'Hold places' }).click()
  await visit.getByText('3 places').waitFor()
  await context.close()
  return path
}

describe('a first plan', () => {
  it('comes from a recording of the website, and is finished, committed and rehearsed by form alone', async () => {
    const har = await recordVisit()
    await open('/p/1/import')
    await page.locator('input[type=file]').setInputFiles(har)
    await page.getByLabel('Name of the plan').fill(`Hold places ${String(round)}`)
    await page.getByLabel('Name of the plan').blur()
    await expect.poll(() => page.getByLabel('The draft').innerText()).toMatch(/name: Hold places \d/)
    await button('Commit the draft').click()

    await page.waitForURL(/plan\?file=plans\/hold-places-\d+.gate.yaml/)
    await page.locator('.outline').getByText('send crossing one hold').click()
    await expect.poll(() => page.getByLabel('Address', { exact: true }).inputValue()).toMatch(/^\/crossing\/.*\/hold$/)
    await page.getByLabel('Name', { exact: true }).fill('hold places')
    await page.getByLabel('Name', { exact: true }).press('Enter')
    await button('Add a gate…').click()
    await page.getByRole('menuitem', { name: 'p95 response time under 500 ms' }).click()
    await expect.poll(() => page.locator('.gate').count()).toBe(2)
    await button('500 ms').click()
    await page.getByRole('textbox', { name: 'Limit', exact: true }).fill('800 ms')
    await button('Change').click()
    await expect.poll(() => page.locator('.gates').innerText()).toMatch(/under 800 ms/)
    await page.getByLabel('Rate of visit').focus()
    await page.keyboard.press('ArrowUp')
    await expect.poll(() => page.locator('.picture').textContent()).toMatch(/2\/s/)
    await commit('A gate on how fast it answers')

    expect(lastCommit()).toBe('Ida Quay: A gate on how fast it answers')
    const text = onDisk(`plans/hold-places-${String(round)}.gate.yaml`)
    expect(text).toMatch(/^jolt: 1\nname: Hold places \d+\ntarget: harbour\n\njourneys:\n {2}visit:\n {4}steps:\n/)
    expect(text).toMatch(
      /- send: POST \/crossing\/[^\n]+\/hold\n +name: hold places\n(?: +.*\n)* +form:\n +ticket: "\{ticket\}"\n +people: 3\n/,
    )
    expect(text).toMatch(/ticket: match \/name="ticket" value="/)
    expect(text).toMatch(
      /load:\n {2}- \{ phase: visit, rate: 2\/s, for: 30s \}\n\ngates:\n {2}- failed requests at most 1 %\n {2}- p95 response time under 800 ms\n$/,
    )
    expect(await rehearse()).toMatch(/Passed: 4 steps/)
    await page.locator('.step').nth(3).click()
    await expect.poll(() => page.locator('.exchange').innerText()).toMatch(/held\nstatus is 200[^]*3 places/)
  })

  it('is written, committed and rehearsed by text alone, with what may stand there offered', async () => {
    await open('/p/1/plans')
    await button('New plan…').click()
    await page.getByLabel('Name', { exact: true }).fill(`By hand ${String(round)}`)
    await button('Create plan').click()
    await page.waitForURL(/by-hand-/)
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect.poll(() => editor().innerText()).toMatch(/name: "By hand \d+"/)
    await editor().click()
    await page.keyboard.press('Control+End')
    await page.keyboard.insertText('  - p95 response time of ')
    // The page reads the text beside the typing: what is offered are the steps that it has read.
    await page.locator('.outline').getByText('home').waitFor()
    // What is offered goes when the page has read the text once more, or is older than that: it is asked for again, as
    // a person would, at the end of the text: a click that came too late has put the cursor elsewhere. The pointer is
    // away from the text, so that no meaning of a key lies over what is offered.
    const offered = page.locator('.cm-tooltip-autocomplete').getByText('"home"')
    const choose = async () => {
      await page.mouse.move(0, 0)
      await page.keyboard.press('Escape')
      await editor().focus()
      await page.keyboard.press('Control+End')
      await page.keyboard.press('Control+Space')
      await offered.click({ timeout: 5000 }).catch(() => undefined)
      return editor().innerText()
    }
    await expect.poll(choose, { timeout: 90_000 }).toContain('time of "home"')
    await page.keyboard.insertText(' under 400 ms\n')
    await expect.poll(() => page.locator('.gate').count()).toBe(2)
    await commit('It must answer quickly')

    expect(onDisk(`plans/by-hand-${String(round)}.gate.yaml`)).toMatch(
      /gates:\n {2}- failed requests at most 1 %\n {2}- p95 response time of "home" under 400 ms\n/,
    )
    expect(await rehearse()).toMatch(/Passed: 1 step /)
  })
})

describe('the form', () => {
  const plan = '/p/1/plan?file=plans/smoke.gate.yaml&as=form'

  it('changes steps, checks and keeps, and every change is undone where text is, too', async () => {
    await open('/p/1/rehearsal?file=plans/smoke.gate.yaml&go=1')
    await expect.poll(() => page.locator('.outcome').innerText()).toMatch(/Passed/)
    await open(plan)
    const before = onDisk('plans/smoke.gate.yaml')
    await page.locator('.outline').getByText('view sailing').click()
    await page.locator('.tree').getByText('places').click()
    await button('Keep it').click()
    await button('Add check').click()
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/none/)
    await page.getByRole('tab', { name: 'Kept values' }).click()
    expect(await page.locator('.form').getByLabel('places', { exact: true }).inputValue()).toBe('json $.places')
    await page.getByRole('tab', { name: 'Checks' }).click()
    expect(await page.locator('.form').getByLabel('Check 3', { exact: true }).inputValue()).toMatch(
      /^json \$.places is \d+$/,
    )

    await page.locator('.outline').getByText('look around').click()
    await button('Add a step…').click()
    await page.getByRole('menuitem', { name: 'Wait', exact: true }).click()
    await page.locator('.outline').getByText('look around').click()
    await button('Switch off').first().click()
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/no value "sailing"/)
    await page.locator('.form h2').click()
    for (let step = 0; step < 4; step++) await button('Undo').click()
    await page.getByRole('tab', { name: 'Text' }).click()
    await expect
      .poll(async () => (await editor().innerText()).replaceAll('\n\n', '\n').trim())
      .toContain('- json $.id is {sailing}')
    await expect.poll(() => page.locator('.head').innerText()).toMatch(/as in/)
    expect(onDisk('plans/smoke.gate.yaml')).toBe(before)
  })

  it('drags a step to another place, and tells the changes in the words of the plan', async () => {
    await open('/p/1/plan?file=plans/summer.gate.yaml&as=form')
    await page.locator('.outline').getByText('look around').click()
    const steps = page.locator('.steps li')
    await expect.poll(() => steps.count()).toBe(4)
    await steps.nth(2).dragTo(steps.nth(0))
    await expect.poll(() => page.locator('.steps li').first().innerText()).toMatch(/view sailing/)
    await button('300 ms').click()
    await page.getByRole('textbox', { name: 'Limit', exact: true }).fill('250 ms')
    await button('Change').click()
    await page.getByRole('tab', { name: 'Edits' }).click()

    await expect
      .poll(() => page.getByLabel('Changes in words').innerText())
      .toMatch(/gate tightened from 300 ms to 250 ms/)
    await expect.poll(() => page.locator('.merge').innerText()).toMatch(/under 300 ms[^]*under 250 ms/)
    page.on('dialog', (dialog) => void dialog.accept())
  })
})

describe('a plan in Git', () => {
  it('notices a change on disk and loses nothing, and goes back to an earlier version', async () => {
    await open('/p/1/plan?file=plans/overload.gate.yaml')
    await expect.poll(() => page.locator('.gate').count()).toBeGreaterThan(0)
    const file = join(place.demo, 'plans/overload.gate.yaml')
    execFileSync('sed', ['-i', `s/^name: .*/name: Changed on disk ${String(round)}/`, file])
    await page.getByText('This file changed on disk').waitFor()
    await button('Take theirs').click()
    await expect.poll(() => page.locator('h1').innerText()).toBe(`Changed on disk ${String(round)}`)
    await editor().click()
    await page.keyboard.press('Control+End')
    await page.keyboard.insertText(`# word ${String(round)} at the end\n`)
    await commit('Name it for what it is')
    await page.getByRole('tab', { name: 'History' }).click()
    await expect
      .poll(() => page.locator('.history').innerText())
      .toMatch(/Name it for what it is[^]*Ida Quay[^]*Load tests of the booking service/)
    await button('Restore').click()
    await expect.poll(() => page.locator('h1').innerText()).not.toBe(`Changed on disk ${String(round)}`)
    page.on('dialog', (dialog) => void dialog.accept())
  })

  it('is left for another, with a change that is not committed, only where one says so', async () => {
    await open('/p/1/plan?file=plans/smoke.gate.yaml')
    await editor().click()
    await page.keyboard.press('Control+End')
    await page.keyboard.insertText('# not committed\n')
    const toAnother = async () => {
      await page.keyboard.press('Control+k')
      await page.getByRole('combobox', { name: 'Find or do' }).fill('Saturday')
      await expect.poll(() => page.locator('#found li').first().innerText()).toContain('Saturday peak')
      await page.keyboard.press('Enter')
      await page.getByText('Your change of the plan is not committed').waitFor()
    }

    for (const key of ['Escape', 'Enter']) {
      await toAnother()
      await page.getByRole('button', { name: 'Stay' }).and(page.locator(':focus')).waitFor()
      await page.keyboard.press(key)
      await page.getByText('Your change of the plan is not committed').waitFor({ state: 'hidden' })
    }
    expect(await editor().innerText()).toContain('# not committed')
    await toAnother()
    await button('Leave').click()

    await page.waitForURL(/plans\/peak/)
    await expect.poll(() => editor().innerText()).not.toContain('# not committed')
  })

  it('is not the only file that two change: a target keeps what is typed, and is not written over', async () => {
    const other = await place.newPage()
    for (const one of [page, other.page]) {
      await one.goto(`${place.origin}/p/1/targets?target=harbour`)
      await one.getByRole('tab', { name: 'Text' }).click()
      await one.getByLabel('Text of the target').click()
      await one.keyboard.press('Control+End')
      await one.keyboard.insertText(`# by ${one === page ? 'one' : 'the other'} ${String(round)}\n`)
    }
    const save = async (from: Page) => {
      await from.getByLabel('Commit message').fill('A word at the end')
      await from.getByRole('button', { name: 'Commit', exact: true }).click()
    }

    await save(other.page)
    await expect.poll(() => onDisk('targets/harbour.target.yaml')).toContain(`# by the other ${String(round)}`)
    await save(page)

    await page.getByRole('alert').getByText('changed').waitFor()
    expect(await page.getByLabel('Text of the target').innerText()).toContain(`# by one ${String(round)}`)
    expect(onDisk('targets/harbour.target.yaml')).not.toContain('# by one')
    // The browser tells of each answer that refuses.
    expect(faults.splice(0)).toEqual([expect.stringContaining('409')])
    page.on('dialog', (dialog) => void dialog.accept())
    await other.page.context().close()
  })
})

describe('from the keyboard', () => {
  it('does the main job: a plan is made, changed by form, committed, rehearsed, run, and its verdict read', async () => {
    const name = `From the keys ${String(round)}`
    /** Goes on with Tab until what has the focus is called so. */
    const tabTo = async (called: RegExp) => {
      const passed: string[] = []
      // A page that is still loading has not got it yet: a minute, as for every wait, and not so many presses.
      for (const endMs = Date.now() + 60_000; Date.now() < endMs;) {
        // Within the text Tab indents; after Escape it leads on.
        await page.keyboard.press('Escape')
        await page.keyboard.press('Tab')
        const label = await page.evaluate(() => {
          const at = document.activeElement
          return at === null ? '' : (at.getAttribute('aria-label') ?? at.textContent).trim()
        })
        if (called.test(label)) return
        passed.push(label.slice(0, 30))
      }
      throw new Error(`nothing that is called ${String(called)} has the focus, only: ${passed.slice(-60).join(' | ')}`)
    }
    await open('/p/1/plans')
    await page.getByRole('link', { name: 'Summer timetable opens' }).waitFor()
    await tabTo(/^New plan…$/)
    await page.keyboard.press('Enter')
    await page.getByRole('dialog').waitFor()
    await expect
      .poll(() => page.getByRole('button', { name: 'Create plan' }).getAttribute('class'))
      .not.toMatch(/loading/)
    const hasCursor = () =>
      expect.poll(() => page.evaluate(() => document.activeElement?.matches('.el-dialog input'))).toBe(true)
    await hasCursor()
    await page.keyboard.type(name)
    await page.keyboard.press('Enter')
    await page.waitForURL(/from-the-keys/)
    await page.locator('.outline').getByText('home').waitFor()

    await tabTo(/^GET home$|^GEThome$/)
    await page.keyboard.press('Enter')
    await tabTo(/^Address$/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('/health{?from}')
    await page.keyboard.press('Enter')
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/from/)
    await page.keyboard.press('Control+a')
    await page.keyboard.type('/health')
    await page.keyboard.press('Enter')
    await expect.poll(() => page.locator('.problems').innerText()).toMatch(/none/)
    await tabTo(/^Length of visit$/)
    for (let presses = 0; presses < 27; presses++) await page.keyboard.press('ArrowLeft')
    await expect.poll(() => page.locator('.totals').innerText()).toMatch(/3 s/)
    await page.keyboard.press('Control+s')
    await page.getByRole('dialog').waitFor()
    await hasCursor()
    await page.keyboard.type('Three seconds of searches')
    await page.keyboard.press('Enter')
    await page.getByRole('dialog').waitFor({ state: 'hidden' })
    expect(onDisk(`plans/from-the-keys-${String(round)}.gate.yaml`)).toMatch(/send: GET \/health\n[^]*for: 3s/)

    await page.keyboard.press('Alt+r')
    await expect.poll(() => page.locator('.outcome').innerText()).toMatch(/Passed/)
    await tabTo(/^back to/)
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'Run', exact: true }).waitFor()
    await tabTo(/^Run$/)
    await page.keyboard.press('Enter')
    // Which verdict it is depends on the host; that it is read, and is one, does not.
    await expect
      .poll(() => page.locator('.verdict .title').innerText())
      .toMatch(/Open \(passed\)|Shut \(failed\)|Void \(inconclusive\)/)
  })

  it('finds a step of a plan, does what is asked, and lists the shortcuts', async () => {
    await open('/p/1/plans')
    await page.getByRole('link', { name: 'Summer timetable opens' }).waitFor()
    await page.keyboard.press('Control+k')
    await page.getByRole('combobox', { name: 'Find or do' }).pressSequentially('hold a pl')
    await expect.poll(() => page.locator('#found li').first().innerText()).toMatch(/step[^]*hold a place/)
    await page.keyboard.press('Enter')
    await page.waitForURL(/plan\?file=.*line=\d+/)
    // The step takes the cursor: what is typed before that would be lost, and after it is text.
    await page.locator('.cm-focused').waitFor()
    await page.locator('h1').click()
    await page.keyboard.press('?')
    await page.getByText('undo and redo, in text and form alike').waitFor()
    await page.keyboard.press('Escape')
    // While a dialog is closing, keys are still its own.
    await page.getByRole('dialog').waitFor({ state: 'hidden' })
    await page.keyboard.press('Alt+t')
    await page.waitForURL(/targets/)
  })
})

describe('people, projects and targets', () => {
  it('make tokens that are shown once, write secrets that are not shown, and see what a target offers', async () => {
    await open('/account')
    await button('Create token').click()
    await page.getByText('enter what the token is for').waitFor()
    await page.getByLabel('What it is for').fill('pipeline')
    await button('Create token').click()
    await expect.poll(() => page.locator('.shown code').innerText()).toMatch(/^jgt_[\w-]{32}$/)
    await button('Done').click()
    await expect.poll(() => page.locator('main .el-table').innerText()).toMatch(/pipeline[^]*read[^]*never/)
    await page.getByRole('link', { name: 'Audit log' }).click()
    await page.getByLabel('Search the audit log').fill('token')
    await expect
      .poll(() => page.locator('main .el-table').innerText())
      .toMatch(/Ida Quay\s+created a token\s+pipeline: read/)

    await open('/p/1/targets')
    await button('write').first().click()
    await page.getByLabel('Value of user').fill('purser')
    await button('Store').click()
    await page.getByText('stored, encrypted').waitFor()
    await button('Read now').click()
    await page.getByText('ferries_pool_busy in use').waitFor()
  })

  it('are added, get another role and another password, and are removed', async () => {
    await open('/people')
    for (const [label, value] of [
      ['Name', 'Jon Skerry'],
      ['Email', 'jon@larkholm.example'],
      ['First password', 'a-lamp-on-the-quay'],
    ] as const)
      await page.getByLabel(label, { exact: true }).fill(value)
    await button('Add').click()
    await page.getByRole('combobox', { name: 'Role of Jon Skerry' }).focus()
    await page.keyboard.press('Enter')
    await page.getByRole('option', { name: 'reader' }).locator('visible=true').click()
    await page.getByRole('option', { name: 'reader' }).locator('visible=true').waitFor({ state: 'hidden' })
    await button('Reset password of Jon Skerry').click()
    await page.getByLabel('New password', { exact: true }).fill('short')
    await button('Reset password').last().click()
    await page.getByText('a password needs at least 10 characters').waitFor()
    await page.getByLabel('New password', { exact: true }).fill('another-lamp-on-the-quay')
    await page.keyboard.press('Enter')
    await page.getByRole('dialog').waitFor({ state: 'hidden' })
    await button('Remove Jon Skerry').click()
    await page.getByRole('button', { name: 'Remove', exact: true }).click()
    await page.getByText('jon@larkholm.example').waitFor({ state: 'hidden' })
    await page.getByRole('link', { name: 'Audit log' }).click()
    await expect
      .poll(() => page.locator('main .el-table').innerText())
      .toMatch(/removed a person[^]*reset a password[^]*changed a role[^]*Jon Skerry is reader[^]*added a person/)
  })

  it('begin an empty project, which leads to a first verdict', async () => {
    await open('/?add=yes')
    await page.getByLabel('Name of the project').fill('Tarn Skerry')
    await button('Empty project').click()
    await page.getByText('Steps to a first verdict').waitFor()
    await page.getByRole('link', { name: 'Add a target' }).click()
    await button('New target…').click()
    await page.getByLabel('Name', { exact: true }).fill('skerry')
    await page.getByLabel('Commit message').fill('The first target')
    await button('Commit').click()
    await page.getByText('on loopback: may be loaded freely').waitFor()
  })

  it('see nothing before they sign in, and the demo is entered by one click', async () => {
    const context = await place.browser.newContext()
    const stranger = await context.newPage()
    await stranger.goto(`${place.origin}/p/1/plans`)
    await stranger.getByRole('button', { name: 'Enter the demo' }).click()
    await stranger.getByRole('link', { name: 'Smoke', exact: true }).waitFor()
    await stranger.getByRole('button', { name: 'Ida Quay' }).click()
    await stranger.getByRole('menuitem', { name: 'Sign out' }).click()
    await stranger.getByRole('button', { name: 'Enter the demo' }).waitFor()
    await context.close()
  })
})

describe('a branch', () => {
  it('is made and looked at by one person, and the page of another stays where it is', async () => {
    const branch = `calmer-search-${String(round)}`
    const other = await place.newPage()
    await other.page.goto(`${place.origin}/p/1/plan?file=plans/smoke.gate.yaml`)
    await other.page.getByRole('button', { name: 'branch main' }).waitFor()
    await open('/p/1/plans')
    await button('branch main').click()
    await page.getByLabel('Name of a new branch').fill(branch)
    await button('Create').click()
    await button(`branch ${branch}`).waitFor()

    await page.getByRole('link', { name: 'Smoke' }).click()
    await button(`branch ${branch}`).waitFor()
    await page.getByRole('tab', { name: 'Form' }).click()
    await page.getByLabel('Description', { exact: true }).fill('Calmer')
    await page.getByLabel('Description', { exact: true }).blur()
    await commit('A calmer smoke')

    const git = (...words: string[]) => execFileSync('git', words, { cwd: place.demo, encoding: 'utf8' }).trim()
    expect(git('log', '-1', '--format=%s', branch)).toBe('A calmer smoke')
    expect(git('branch', '--show-current')).toBe('main')
    expect(onDisk('plans/smoke.gate.yaml')).not.toContain('Calmer')
    expect(await other.page.getByRole('button', { name: 'branch main' }).count()).toBe(1)
    expect(new URL(page.url()).searchParams.get('file')).toBe('plans/smoke.gate.yaml')
    await other.page.context().close()
  })
})
