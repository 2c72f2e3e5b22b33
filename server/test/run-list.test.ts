// The list of a project's runs: filters, search, pages and deletion, all by the database.
import { describe, expect, it } from 'vitest'
import type { RunFilter, RunSummary } from '@jolt-gate/core/api'
import { BucketRow, RunPartsRow, RunRow } from '../src/database/models.js'
import { demoPlace, PLAN } from './place.js'
import { addRuns } from './stored-runs.js'

const { place, call } = demoPlace()

async function list(filter: Partial<Record<keyof RunFilter, string>> = {}) {
  const query = new URLSearchParams(filter).toString()
  const { status, body } = await call('GET', `${place.project}/runs?${query}`)
  const { runs = [], total } = body as { runs?: RunSummary[]; total?: number }
  return { status, numbers: runs.map(({ number }) => number), total, runs }
}

describe('the list of runs', () => {
  it('has pages, newest first', async () => {
    await addRuns(1, 120)

    const [first, last] = [await list(), await list({ page: '3' })]

    expect(first).toMatchObject({ total: 120 })
    expect(first.numbers).toEqual(Array.from({ length: 50 }, (_, index) => 120 - index))
    expect(last.numbers).toEqual(Array.from({ length: 20 }, (_, index) => 20 - index))
    expect((await list({ page: '0' })).status).toBe(400)
  })

  it('is ordered by a figure over all pages, and by nothing else that is asked', async () => {
    const byNumber = await list({ sort: 'number', direction: 'up', page: '3' })
    expect(byNumber.numbers).toEqual(Array.from({ length: 20 }, (_, index) => 101 + index))
    const slowest = (await list({ sort: 'p95' })).runs.map(({ p95 }) => p95 ?? -1)
    expect(slowest).toEqual(slowest.toSorted((one, other) => other - one))
    expect((await list({ sort: 'searched' })).status).toBe(400)
  })

  it('is filtered by plan, target, branch, verdict and days, all of which must hold', async () => {
    expect(await list({ branch: 'release/summer' })).toMatchObject({ total: 12 })
    expect(await list({ branch: 'release/summer', verdict: 'open' })).toMatchObject({ numbers: [120, 90, 60, 30] })
    expect(await list({ target: 'there' })).toMatchObject({ total: 0 })
    // Both days count: the second of January begins with run 24, the third ends with run 71.
    expect(await list({ from: '2026-01-02', to: '2026-01-03' })).toMatchObject({ total: 48 })
    expect((await list({ verdict: 'perhaps' })).status).toBe(400)
    for (const from of ['yesterday', '2026-13-45']) expect((await list({ from })).status).toBe(400)
  })

  it('is searched by every word, and no sign of the word is a wildcard', async () => {
    expect(await list({ search: 'IDA release' })).toMatchObject({ total: 12 })
    expect(await list({ search: '119' })).toMatchObject({ numbers: [119] })
    expect(await list({ before: '3' })).toMatchObject({ numbers: [2, 1] })
    for (const search of ['%', '_', '\\']) expect(await list({ search })).toMatchObject({ total: 0 })
  })

  it('offers what there is to choose from', async () => {
    expect((await call('GET', `${place.project}/runs/choices`)).body).toEqual({
      plans: [PLAN],
      targets: ['here'],
      labels: [],
      branches: ['main', 'release/summer'],
    })
  })

  it('says who started a run, and keeps it', async () => {
    const { body } = await call('POST', `${place.project}/runs`, { plan: PLAN })
    const { id } = body as { id: string }
    await expect.poll(async () => ((await call('GET', `/runs/${id}`)).body as RunSummary).state).toBe('ended')

    expect((await list({ search: 'short' })).runs[0]).toMatchObject({ id, startedBy: 'Ida Quay', impact: null })
  })

  it('loses what an administrator deletes, with all that belongs to it, and nothing that is going', async () => {
    const [newest] = (await list()).runs
    const id = newest?.id ?? ''
    expect(await BucketRow.count({ where: { runId: id } })).toBeGreaterThan(0)
    await RunRow.update({ state: 'running', part: 'load' }, { where: { id: 'r7' } })
    const remove = (...runs: string[]) => call('POST', `${place.project}/runs/delete`, { runs })

    expect(await remove('r6', 'r7')).toMatchObject({ status: 409, body: { code: 'GOING' } })
    expect((await remove(id, 'r6', 'unknown')).body).toEqual({ deleted: 2 })

    expect(await list()).toMatchObject({ total: 119 })
    expect(await BucketRow.count({ where: { runId: id } })).toBe(0)
    expect(await RunPartsRow.count({ where: { runId: id } })).toBe(0)
    expect((await call('GET', '/audit-log?search=deleted')).body).toMatchObject({ events: [{ event: 'deleted runs' }] })
  })

  it('finds a run by its labels and its note, which authors write and change', async () => {
    const asked = { plan: PLAN, labels: ['build=209', 'tier=staging'] }
    const { id, number } = (await call('POST', `${place.project}/runs`, asked)).body as RunSummary
    await expect.poll(async () => (await call('GET', `/runs/${id}`)).body).toMatchObject({ state: 'ended' })
    const { body } = await call('GET', `/runs/${id}`)
    expect(body).toMatchObject({ labels: { build: '209', tier: 'staging' }, result: { labels: { build: '209' } } })
    expect((await list({ search: 'build=209' })).numbers).toEqual([number])

    const note = 'The **new pool**: see <script>alert(1)</script>'
    expect((await call('PATCH', `/runs/${id}`, { note, labels: ['build=210'] })).body).toMatchObject({
      note,
      labels: { build: '210' },
    })
    expect((await call('GET', `/runs/${id}`)).body).toMatchObject({ note, labels: { build: '210' } })
    expect((await list({ search: 'new pool' })).numbers).toEqual([number])
    expect((await list({ search: 'build=209' })).numbers).toEqual([])
    expect((await call('PATCH', `/runs/${id}`, { note: ' ', labels: [] })).body).toMatchObject({
      note: null,
      labels: {},
    })
  })

  it.each([
    ['a label without a value', ['build']],
    ['a name that is none', ['build no=1']],
    ['two lines', ['build=1\n2']],
    ['too many', Array.from({ length: 21 }, (_, index) => `l${String(index)}=1`)],
  ])('refuses %s', async (_, labels) => {
    const answer = await call('POST', `${place.project}/runs`, { plan: PLAN, labels })

    expect(answer).toMatchObject({ status: 400, body: { code: 'BAD_FIELD' } })
  })

  it('of ten thousand runs takes at most three times as long as that of a hundred', async () => {
    const askings = [{}, { search: 'ida release' }, { verdict: 'shut', page: '3' }, { branch: 'release/summer' }]
    const fastest = async () => {
      const times: number[] = []
      for (let round = 0; round < 7; round++) {
        const began = performance.now()
        for (const filter of askings) await list(filter)
        times.push(performance.now() - began)
      }
      return Math.min(...times)
    }
    const few = await fastest()
    await addRuns(200, 10_200)

    const many = await fastest()

    expect((await list()).total).toBeGreaterThan(10_000)
    expect(many / few).toBeLessThan(3)
  })
})
