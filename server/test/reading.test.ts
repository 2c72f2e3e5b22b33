// Marks, links that share a run, views, and how long runs are kept.
import { setTimeout as sleep } from 'node:timers/promises'
import type { LaneView, RunDetail, RunSummary, Share } from '@jolt-gate/core/api'
import { describe, expect, it } from 'vitest'
import { BucketRow, RunRow, ShareRow } from '../src/database/models.js'
import { ClockJumps } from '../src/runs/clock-jumps.js'
import { deleteDue } from '../src/runs/retention.js'
import { callerOf, demoPlace, PLAN, planText } from './place.js'
import { addRuns } from './stored-runs.js'

const { place, call } = demoPlace()

async function started(seconds: number): Promise<string> {
  const { base } = (await call('GET', `${place.project}/plan?file=${PLAN}`)).body as { base: string }
  const text = planText(seconds)
  await call('PUT', `${place.project}/plan?file=${PLAN}`, { text, base, message: 'longer' })
  return ((await call('POST', `${place.project}/runs`, { plan: PLAN })).body as RunSummary).id
}
const stateOf = async (id: string) => {
  const { state, part } = (await call('GET', `/runs/${id}`)).body as RunSummary
  return state === 'running' ? part : state
}
/** With no session and no token. */
const stranger = (path: string) => callerOf(place.server.origin)('GET', path)

describe('marks', () => {
  it('stand where they were put, or at the second that a live run is at', async () => {
    const id = await started(8)
    await expect.poll(() => stateOf(id)).toBe('load')
    await expect.poll(() => BucketRow.count({ where: { runId: id } })).toBeGreaterThan(0)

    const now = await call('POST', `/runs/${id}/marks`, { text: 'deployed 1.4.2' })
    const then = await call('POST', `/runs/${id}/marks`, { text: 'cache flushed', atMs: 500 })

    expect([now.status, then.status]).toEqual([201, 201])
    const { marks } = (await call('GET', `/runs/${id}`)).body as RunDetail
    expect(marks.map(({ text, by }) => `${text}, ${by}`)).toEqual([
      'cache flushed, Ida Quay',
      'deployed 1.4.2, Ida Quay',
    ])
    expect(marks[1]?.atMs).toBeGreaterThanOrEqual(1000)
    await call('POST', `/runs/${id}/stop`)
    await expect.poll(() => stateOf(id)).toBe('ended')
    expect(await call('POST', `/runs/${id}/marks`, { text: 'too late' })).toMatchObject({
      status: 400,
      body: { detail: expect.stringContaining('atMs is needed') as string },
    })
    expect((await call('DELETE', `/runs/${id}/marks/${String(marks[0]?.id)}`)).status).toBe(204)
    expect(((await call('GET', `/runs/${id}`)).body as RunDetail).marks).toHaveLength(1)
    expect((await call('POST', `/runs/${id}/marks`, { text: 'x', atMs: -1 })).status).toBe(400)
  })
})

describe('a shared link', () => {
  it('opens one run to whoever has it, until it is revoked or its day has come; what is open ends then', async () => {
    const id = await started(20)
    await expect.poll(() => stateOf(id)).toBe('load')
    const made = (await call('POST', `/runs/${id}/shares`, { days: 3 })).body as Share & { token: string }

    expect((await stranger(`/runs/${id}`)).status).toBe(401)
    expect((await stranger(`/shared/${made.token}`)).body).toMatchObject({ id, state: 'running', part: 'load' })
    expect((await stranger(`/shared/${made.token}x`)).status).toBe(404)
    expect(JSON.stringify((await call('GET', `/runs/${id}/shares`)).body)).not.toContain(made.token)
    await expect.poll(() => BucketRow.count({ where: { runId: id } })).toBeGreaterThan(0)
    const stream = stranger(`/shared/${made.token}/stream`)
    await sleep(1500)
    expect((await call('DELETE', `/runs/${id}/shares/${String(made.id)}`)).status).toBe(204)
    // The run goes on; its stream has ended for whoever had the link.
    expect((await stream).body).toContain('event:bucket')
    expect(await stateOf(id)).toBe('load')
    expect((await stranger(`/shared/${made.token}`)).status).toBe(404)
    await call('POST', `/runs/${id}/stop`)

    const other = (await call('POST', `/runs/${id}/shares`, { days: 1 })).body as { token: string }
    await ShareRow.update({ until: new Date(Date.now() - 1000) }, { where: { runId: id } })
    expect((await stranger(`/shared/${other.token}`)).status).toBe(404)
    expect((await call('POST', `/runs/${id}/shares`, { days: 4000 })).status).toBe(400)
    await expect.poll(() => stateOf(id)).toBe('ended')
  })
})

describe('views', () => {
  it('are kept under their name; a plan opens with one of them', async () => {
    const save = (name: string, lanes: string, planFile: string | null) =>
      call('PUT', `${place.project}/views`, { name, lanes, planFile })
    await save('Pool', 'load,time', PLAN)
    await save('Checkout', 'time', PLAN)
    await save('Pool', 'load,metrics', null)

    const { views } = (await call('GET', `${place.project}/views`)).body as { views: LaneView[] }
    expect(views.map(({ name, lanes, planFile }) => [name, lanes, planFile])).toEqual([
      ['Checkout', 'time', PLAN],
      ['Pool', 'load,metrics', null],
    ])
    expect((await call('DELETE', `${place.project}/views/${String(views[0]?.id)}`)).status).toBe(204)
    expect((await call('DELETE', `${place.project}/views/${String(views[0]?.id)}`)).status).toBe(404)
  })
})

describe('the rule by which runs are kept', () => {
  it('deletes what is due, and nothing that somebody or a further rule keeps', async () => {
    // An hour apart, from the first of January 2026: every tenth on release/summer, every third open.
    await addRuns(1000, 1059, (number) => (number === 1005 ? { labels: { build: '209' } } : {}))
    const rule = 'keep 90 days, open runs of release/summer for ever, runs with label build=209 for ever'
    const asked = await call('GET', `${place.project}/retention?rule=${encodeURIComponent(rule)}`)
    // Numbers 1020 and 1050 are open on release/summer, and 1005 has the label.
    expect(asked.body).toMatchObject({ rule, due: 57 })
    expect((await call('PUT', `${place.project}/retention`, { rule: 'keep some' })).body).toMatchObject({
      detail: expect.stringContaining('such as "keep 90 days"') as string,
    })

    expect((await call('PUT', `${place.project}/retention`, { rule })).status).toBe(200)
    expect(
      await RunRow.count({ where: { projectId: 1, number: Array.from({ length: 60 }, (_, n) => 1000 + n) } }),
    ).toBe(60)
    const before = await RunRow.count({ where: { projectId: 1, planFile: PLAN } })
    await deleteDue()
    await deleteDue()
    // Of a plan's runs a tenth a day, however often it is looked: the rest waits for a word, or for tomorrow.
    const tenth = Math.floor(before / 10)
    expect(await RunRow.count({ where: { projectId: 1, planFile: PLAN } })).toBe(before - tenth)
    await deleteDue(Date.now() + 86_400_001)
    expect(await RunRow.count({ where: { projectId: 1, planFile: PLAN } })).toBe(
      before - tenth - Math.floor((before - tenth) / 10),
    )
    expect((await call('PUT', `${place.project}/retention`, { rule, deletesDue: true })).body).toMatchObject({ due: 0 })

    const left = await RunRow.findAll({ order: [['number', 'ASC']] })
    expect(left.map(({ number }) => number).filter((number) => number >= 1000)).toEqual([1005, 1020, 1050])
    // Those of today stay, and a rule that is empty deletes nothing.
    expect(left.length).toBeGreaterThan(3)
    await call('PUT', `${place.project}/retention`, { rule: '' })
    await deleteDue(Date.now() + 1e12)
    expect(await RunRow.count()).toBe(left.length)
    const { events } = (await call('GET', '/audit-log?search=by the rule')).body as { events: { who: string }[] }
    expect(events.map(({ who }) => who)).toEqual(['Ida Quay', 'the server', 'the server'])
  })

  it('waits for a day where the clock has jumped', () => {
    const [hour, day] = [3_600_000, 86_400_000]
    let [now, count] = [Date.now(), 0]
    const jumps = new ClockJumps(
      () => now,
      () => count,
    )
    const pass = (ms: number, jump = 0) => ([now, count] = [now + ms + jump, count + ms])

    pass(hour)
    expect([jumps.days(), jumps.isSteady()]).toEqual([0, true])
    pass(hour, 400 * day)
    expect([jumps.days(), jumps.isSteady()]).toEqual([400, false])
    pass(23 * hour)
    expect([jumps.days(), jumps.isSteady()]).toEqual([0, false])
    pass(2 * hour)
    expect([jumps.days(), jumps.isSteady()]).toEqual([0, true])
    pass(hour, -2 * day)
    expect([jumps.days(), jumps.isSteady()]).toEqual([-2, false])
  })
})
