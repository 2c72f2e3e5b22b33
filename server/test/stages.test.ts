// Stages that the server runs itself: for pushes, by schedule, by hand; in order, up to the first that is not open.
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeAll, describe, expect, it } from 'vitest'
import type { ChangeLine, ScheduleLine } from '@jolt-gate/core/api'
import { RunRow, ScheduleRow, StageRunRow } from '../src/database/models.js'
import { CHANGES } from '../src/events/changes.js'
import { demoPlace, git, PIPELINE, PLAN, planText } from './place.js'

const { place, call } = demoPlace()
const SECOND = 'plans/second.gate.yaml'
const THIRD = 'plans/third.gate.yaml'
const DAY_MS = 86_400_000

beforeAll(() => {
  writeFileSync(join(place.repository, PLAN), planText(1))
  writeFileSync(join(place.repository, SECOND), planText(1).replace('name: Short', 'name: Second'))
  writeFileSync(join(place.repository, THIRD), planText(1).replace('name: Short', 'name: Third'))
  writeFileSync(
    join(place.repository, PIPELINE),
    `jolt: 1
pipeline: booking
stages:
  - { stage: review, begins: push to any branch, plans: [${PLAN}] }
  - { stage: staging, after: review, begins: push to main, plans: [${PLAN}, ${SECOND}] }
  - { stage: nightly, begins: 'schedule "30 2 * * *" zone Europe/Oslo', plans: [${THIRD}] }
  - { stage: production, begins: admission, requires: [staging within 1h] }
`,
  )
  git(place.repository, 'add', '-A')
  git(place.repository, 'commit', '-qm', 'Say what a change goes through')
})

function commit(message: string, file = 'README.md', text = message): string {
  writeFileSync(join(place.repository, file), text)
  git(place.repository, 'add', '-A')
  git(place.repository, 'commit', '-qm', message)
  return git(place.repository, 'rev-parse', 'HEAD')
}
/** Those of a change, in the order in which they were begun. */
const stagesOf = async (at: string) => {
  const rows = await StageRunRow.findAll({ where: { commit: at }, order: [['askedAt', 'ASC']] })
  return rows.map(({ stage, state, verdict, words }) => ({ stage, state, verdict, words }))
}
const ended = (at: string) =>
  expect.poll(async () => (await stagesOf(at)).map(({ state }) => state)).toEqual(['ended', 'ended'])
const page = async () => {
  const { body } = await call('GET', `${place.project}/pipeline?file=${PIPELINE}`)
  return body as { changes: ChangeLine[]; schedules: ScheduleLine[] }
}
/** As a push or a schedule would, but now. */
const look = () => CHANGES.emit('project', 1)

describe('a push', () => {
  it('runs its stages, each after the one before it, their plans in order, and the change may go on', async () => {
    const first = await page()
    expect(first.changes.flatMap(({ stages }) => stages.map(({ words }) => words)).join('')).toBe('')

    const at = commit('Name the ferries')
    await expect
      .poll(() => stagesOf(at))
      .toMatchObject([{ stage: 'review' }, { stage: 'staging', words: 'waits for review' }])
    await ended(at)

    expect((await stagesOf(at)).map(({ verdict }) => verdict)).toEqual(['open', 'open'])
    const runs = await RunRow.findAll({ where: { commit: at }, order: [['number', 'ASC']] })
    expect(runs.map(({ planFile, verdict, startedBy }) => [planFile, verdict, startedBy])).toEqual([
      [PLAN, 'open', 'push to main'],
      [PLAN, 'open', 'push to main'],
      [SECOND, 'open', 'push to main'],
    ])
    const [line] = (await page()).changes
    expect(line?.stages.map(({ at: { state }, admission }) => admission?.answer ?? state)).toEqual([
      'open',
      'open',
      'not run',
      'admitted',
    ])
  })

  it('stops at the first plan that is not open, and nothing that comes after it begins', async () => {
    const at = commit('Slip', PLAN, planText(1).replace('GET /health', 'GET /nowhere'))
    await ended(at)

    expect(await stagesOf(at)).toMatchObject([
      { stage: 'review', verdict: 'shut', words: expect.stringMatching(/^run \d+ of .*: no request passed/) as string },
      { stage: 'staging', verdict: null, words: 'not begun: review is shut' },
    ])
    expect(await RunRow.count({ where: { commit: at } })).toBe(1)
    const [line] = (await page()).changes
    expect(line?.stages[1]).toMatchObject({ at: { state: 'shut' }, words: 'not begun: review is shut' })
    expect(line?.stages[3]?.admission?.answer).toBe('refused')
    commit('Mend', PLAN, planText(1))
  })

  it('runs a change at its own commit or not at all', async () => {
    await expect.poll(() => StageRunRow.count({ where: { state: ['queued', 'running'] } })).toBe(0)
    const early = commit('Early')
    await expect.poll(async () => (await stagesOf(early)).length).toBe(2)
    const late = commit('Late')
    await ended(early)
    await ended(late)

    // Its review was under way; what waited for it finds the branch elsewhere.
    expect((await stagesOf(early))[1]?.words).toBe(`not begun: main has gone on to ${late.slice(0, 7)}`)
    expect((await stagesOf(late)).map(({ verdict }) => verdict)).toEqual(['open', 'open'])
    const made = await RunRow.findAll({ where: { commit: [early, late] }, attributes: ['commit', 'planCommit'] })
    expect(made.every((run) => run.commit === run.planCommit)).toBe(true)
  })
})

describe('a schedule', () => {
  const nightly = () => StageRunRow.findAll({ where: { stage: 'nightly' }, order: [['askedAt', 'ASC']] })

  it('that was missed runs once, late, and says so', async () => {
    await expect.poll(() => ScheduleRow.count()).toBe(1)
    await ScheduleRow.update({ lastDueAt: new Date(Date.now() - 3 * DAY_MS) }, { where: {} })

    look()
    await expect.poll(async () => (await nightly()).map(({ state }) => state)).toEqual(['ended'])
    look()
    look()

    const [run, ...others] = await nightly()
    expect(others).toEqual([])
    expect(run?.by).toMatch(/^schedule of nightly, late: due at \d{4}-\d\d-\d\dT0[01]:30Z, 2 missed before$/)
    const [line] = (await page()).schedules
    expect(line).toMatchObject({ stage: 'nightly', zone: 'Europe/Oslo', lastVerdict: 'open', isPaused: false })
    expect(Date.parse(line?.nextAt ?? '')).toBeGreaterThan(Date.now())
  })

  it('passes over what comes while it is paused, or while its last run lasts', async () => {
    expect((await call('PUT', `${place.project}/schedule`, { stage: 'nightly', isPaused: true })).status).toBe(200)
    await ScheduleRow.update({ lastDueAt: new Date(Date.now() - 3 * DAY_MS) }, { where: {} })
    look()
    await expect
      .poll(async () => (await ScheduleRow.findOne())?.lastDueAt.getTime())
      .toBeGreaterThan(Date.now() - 2 * DAY_MS)
    await call('PUT', `${place.project}/schedule`, { stage: 'nightly', isPaused: false })
    look()
    await new Promise((resolve) => setTimeout(resolve, 800))

    expect(await nightly()).toHaveLength(1)
    expect((await call('PUT', `${place.project}/schedule`, { stage: 'review', isPaused: true })).body).toMatchObject({
      code: 'NO_SCHEDULE',
    })
  })
})

describe('a person', () => {
  it('runs a stage for the commit that a branch stands at, and no admission', async () => {
    const ask = (stage: string) => call('POST', `${place.project}/stage-runs`, { stage })
    const { status, body } = await ask('nightly')
    const { id } = body as { id: string }

    expect(status).toBe(201)
    await expect.poll(() => StageRunRow.findByPk(id)).toMatchObject({ state: 'ended', verdict: 'open', cause: 'hand' })
    expect((await ask('production')).body).toMatchObject({ code: 'ADMISSION' })
    expect((await ask('nightly ')).status).toBe(404)
  })
})
