// Runs that others are held to, and gates and steps from run to run.
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import type { BaselineLine, RunDetail, Trend } from '@jolt-gate/core/api'
import { BaselineRow, GateRow, StepRow } from '../src/database/models.js'
import { demoPlace, git, PLAN, planText } from './place.js'
import { addRuns } from './stored-runs.js'

const HELD = 'median response time at most 400 % of baseline or 1 s'
const PLAN_OF = { plan: PLAN, target: 'here' }

const { place, call } = demoPlace()

async function ran(): Promise<RunDetail> {
  const { id } = (await call('POST', `${place.project}/runs`, { plan: PLAN })).body as { id: string }
  const read = async () => (await call('GET', `/runs/${id}`)).body
  await expect.poll(read).toMatchObject({ state: 'ended' })
  return (await read()) as RunDetail
}
async function baselineOf(branch?: string): Promise<BaselineLine | null> {
  const query = new URLSearchParams({ ...PLAN_OF, ...(branch === undefined ? {} : { branch }) }).toString()
  return ((await call('GET', `${place.project}/baseline?${query}`)).body as { baseline: BaselineLine | null }).baseline
}
async function trendOf(query: Record<string, string> = {}): Promise<Trend> {
  const search = new URLSearchParams({ ...PLAN_OF, ...query }).toString()
  return (await call('GET', `${place.project}/trend?${search}`)).body as Trend
}
const commit = (text: string, message: string) => {
  writeFileSync(join(place.repository, PLAN), text)
  git(place.repository, 'commit', '-qam', message)
}

describe('a baseline', () => {
  it('is made of the last runs of the same load, and gates in the application are held to it', async () => {
    commit(planText(2).replace('gates:', `gates:\n  - ${HELD}`), 'Hold to the baseline')
    const first = await ran()
    expect(first.result?.gates[0]).toMatchObject({ rule: HELD, status: 'no baseline' })
    expect([first.verdict, first.baseline]).toEqual(['open', null])

    const second = await ran()

    expect(await baselineOf()).toMatchObject({ how: 'last runs', run: { id: second.id }, by: null })
    expect(second.baseline).toMatchObject({ id: first.id })
    expect(second.result?.baseline?.id).toBe(first.id)
    const [gate] = second.result?.gates ?? []
    const median = first.result?.steps[0]?.responseTime?.percentiles['50']
    expect(gate).toMatchObject({
      rule: HELD,
      status: 'held',
      limit: expect.closeTo(Math.max(1000, 4 * (median ?? NaN)), 1) as number,
    })
    expect(gate?.baselineValue).toBeCloseTo(median ?? NaN, 2)
  })

  it('that a person keeps stays, whatever is open later; one for each branch, and no other run takes its place', async () => {
    const runs = (await call('GET', `${place.project}/runs`)).body as { runs: { id: string }[] }
    const [later, earlier] = runs.runs.map(({ id }) => id)

    await call('PUT', `/runs/${String(later)}/baseline`)
    const kept = await call('PUT', `/runs/${String(earlier)}/baseline`)

    expect(kept).toMatchObject({ status: 200, body: { how: 'pinned', by: 'Ida Quay', run: { id: earlier } } })
    expect(await BaselineRow.count()).toBe(1)
    expect(await baselineOf()).toMatchObject({ how: 'pinned', run: { id: earlier } })
    // A branch without one of its own is held to that of the default branch.
    expect(await baselineOf('calmer')).toMatchObject({ how: 'pinned', run: { id: earlier } })
    const held = await ran()
    expect(held.baseline).toMatchObject({ id: later, pinned: { id: earlier } })
    expect(held.result?.baseline).toMatchObject({ runs: [later, earlier], pinned: earlier })
    // Who pins a run accepts its level: those before it count no longer.
    await call('PUT', `/runs/${held.id}/baseline`)
    expect((await ran()).result?.baseline).toMatchObject({ id: held.id, runs: [held.id], pinned: held.id })
    const log = JSON.stringify((await call('GET', '/audit-log')).body)
    expect(log).toContain('kept a baseline')
  })

  it('is not deleted with other runs, and may be removed', async () => {
    const id = (await baselineOf())?.run.id ?? ''

    const refused = await call('POST', `${place.project}/runs/delete`, { runs: [id] })
    expect(refused).toMatchObject({ status: 409, body: { code: 'KEPT' } })
    expect((await call('DELETE', `/runs/${id}/baseline`)).status).toBe(204)
    expect((await call('DELETE', `/runs/${id}/baseline`)).status).toBe(404)
    expect((await baselineOf())?.how).toBe('last runs')
  })

  it('of another load is none: the last runs that fit are taken', async () => {
    const [before] = ((await call('GET', `${place.project}/runs`)).body as { runs: { id: string }[] }).runs
    commit(planText(3).replace('gates:', `gates:\n  - ${HELD}`), 'A longer load')
    const longer = await ran()
    expect(longer.result?.gates[0]?.status).toBe('no baseline')

    commit(planText(2).replace('gates:', `gates:\n  - ${HELD}`), 'The load of before')
    expect((await ran()).baseline).toMatchObject({ id: before?.id })
  })

  it('is no run that is void or goes on', async () => {
    await addRuns(2001, 2001, () => ({ verdict: 'void' }))
    await addRuns(2002, 2002, () => ({ verdict: null, state: 'running' }))

    expect(await call('PUT', '/runs/r2001/baseline')).toMatchObject({ status: 409, body: { code: 'NO_BASELINE' } })
    expect(await call('PUT', '/runs/r2002/baseline')).toMatchObject({ status: 409, body: { code: 'GOING' } })
  })
})

describe('a trend', () => {
  const gate = (runId: string, position: number, rule: string, observed: number, limitValue: number) => ({
    ...{ runId, position, rule, observed, limitValue },
    ...{
      status: 'held' as const,
      unit: 'ms' as const,
      intervalLow: observed - 2,
      intervalHigh: null,
      borderline: false,
    },
  })

  it('has a gate as one series while its limit alone changes, and each step, the oldest run first', async () => {
    await addRuns(1001, 1003, () => ({ targetName: 'there', branch: 'main' }))
    await GateRow.bulkCreate([
      gate('r1001', 0, 'p95 response time of "a" under 300 ms', 200, 300),
      gate('r1002', 0, 'p95 response time of "a" under 250 ms', 210, 250),
      gate('r1003', 0, 'median response time under 90 ms', 40, 90),
      gate('r1003', 1, 'p95 response time of "a" under 250 ms', 220, 250),
    ])
    await StepRow.bulkCreate([
      { runId: 'r1001', position: 0, step: 'a', requests: 9, failedShare: 0, p95: 190 },
      { runId: 'r1003', position: 0, step: 'a', requests: 9, failedShare: null, p95: null },
    ])

    const trend = await trendOf({ target: 'there' })

    expect(trend.runs.map(({ number }) => number)).toEqual([1001, 1002, 1003])
    expect(trend.series.map(({ kind, name }) => [kind, name])).toEqual([
      ['gate', 'median response time'],
      ['gate', 'p95 response time of "a"'],
      ['step', 'p95 response time of "a"'],
    ])
    expect(trend.series[1]?.rule).toBe('p95 response time of "a" under 250 ms')
    expect(trend.series[1]?.points.map((point) => [point?.value, point?.limit, point?.low])).toEqual([
      [200, 300, 198],
      [210, 250, 208],
      [220, 250, 218],
    ])
    expect(trend.series[2]?.points).toEqual([
      { value: 190, low: null, high: null, limit: null, status: null },
      null,
      null,
    ])
  })

  it('is of one branch where that is asked, and of the last runs alone', async () => {
    await addRuns(1004, 1009, (number) => ({ targetName: 'there', branch: number === 1009 ? 'calmer' : 'main' }))

    const last = await trendOf({ target: 'there', branch: 'main', last: '3' })

    expect(last.runs.map(({ number }) => number)).toEqual([1006, 1007, 1008])
    expect(last.isCut).toBe(true)
    expect((await trendOf({ target: 'there', last: '50' })).isCut).toBe(false)
    expect((await call('GET', `${place.project}/trend?plan=x&target=y&last=100000`)).status).toBe(400)
  })

  it('keeps what is known of a change, until that is taken back', async () => {
    const note = { series: 'p95 response time of "a"', words: 'A new pool: known, and meant.' }
    expect((await call('POST', '/runs/r1002/trend-notes', { ...note, words: '  ' })).status).toBe(400)

    const made = (await call('POST', '/runs/r1002/trend-notes', note)).body as { id: number }

    expect((await trendOf({ target: 'there' })).notes).toMatchObject([{ ...note, run: 'r1002', by: 'Ida Quay' }])
    expect((await call('DELETE', `/runs/r1001/trend-notes/${String(made.id)}`)).status).toBe(404)
    expect((await call('DELETE', `/runs/r1002/trend-notes/${String(made.id)}`)).status).toBe(204)
    expect((await trendOf({ target: 'there' })).notes).toEqual([])
  })

  it('tells in a run that noise has decided a gate in most of the last ten', async () => {
    const rule = 'failed requests at most 1 %'
    await addRuns(3001, 3006, () => ({ verdict: 'open' }))
    await GateRow.bulkCreate(
      Array.from({ length: 6 }, (_, index) => ({
        ...gate(`r${String(3001 + index)}`, 0, rule, 0.9, 1),
        ...{ unit: '%' as const, borderline: true, intervalHigh: 2 },
      })),
    )

    const { result } = await ran()

    expect(result?.findings?.filter(({ kind }) => kind === 'tight gate')).toMatchObject([
      { severity: 'info', evidence: { rule, borderlineOfTen: 6 } },
    ])
  })
})
