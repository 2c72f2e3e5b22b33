// The demo's past: runs that were recorded elsewhere, and runs of a database that knew no trends yet.
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gunzipSync, gzipSync } from 'node:zlib'
import { RECORDED_RUNS } from '@jolt-gate/scripts'
import { migratorOf, openDatabase } from '@jolt-gate/server'
import { QueryTypes } from 'sequelize'
import { describe, expect, it } from 'vitest'
import type { RunDetail, RunSummary, Trend } from '@jolt-gate/core/api'
import { addRecordedRuns } from '../src/runs/recorded.js'
import { demoPlace, newDatabase } from './place.js'

const LINES = gunzipSync(readFileSync(RECORDED_RUNS)).toString().trim().split('\n')

const { place, call } = demoPlace()

describe('recorded runs', () => {
  it('are those of a project from its start: listed, opened with their seconds, and judged as they were', async () => {
    expect(await addRecordedRuns(1, RECORDED_RUNS)).toBe(30)

    const { runs } = (await call('GET', `${place.project}/runs`)).body as { runs: RunSummary[] }
    expect(runs.map(({ number }) => number)).toEqual(Array.from({ length: 30 }, (_, index) => 30 - index))
    const [latest, before] = runs
    expect(Date.now() - Date.parse(latest?.askedAt ?? '')).toBeLessThan(4 * 3_600_000)
    expect(Date.parse(latest?.askedAt ?? '') - Date.parse(before?.askedAt ?? '')).toBe(12 * 3_600_000)

    const peaks = runs.filter(({ planFile }) => planFile === 'plans/peak.gate.yaml')
    expect(peaks.map(({ impact }) => impact)).toEqual(['lost', 'failing', 'strained', 'steady'])
    const watched = runs.find(({ planFile }) => planFile === 'plans/watch.gate.yaml')
    const detail = (await call('GET', `/runs/${watched?.id ?? ''}`)).body as RunDetail
    expect(detail.result?.gates.every(({ status }) => status === 'held')).toBe(true)
    expect(detail.baseline?.id).toBe(detail.result?.baseline?.id)
    expect(runs.map(({ id }) => id)).toContain(detail.baseline?.id)
    const stream = (await call('GET', `/runs/${watched?.id ?? ''}/stream`)).body as string
    expect(stream.match(/^event: ?bucket$/gm)?.length).toBeGreaterThanOrEqual(8)
  })

  it('show a trend whose search is slower from the fourteenth to the seventeenth', async () => {
    const query = 'plan=plans/watch.gate.yaml&target=harbour'
    const trend = (await call('GET', `${place.project}/trend?${query}`)).body as Trend
    const search = trend.series.find(({ kind, name }) => kind === 'gate' && name.includes('search sailings'))

    const slow = search?.points.flatMap((point, run) => (point?.status === 'breached' ? [run + 1] : []))
    expect(slow).toEqual([14, 15, 16, 17])
    expect(trend.series.filter(({ kind }) => kind === 'step').map(({ name }) => name)).toEqual([
      'p95 response time of "search sailings"',
      'p95 response time of "view sailing"',
    ])
  })

  it('are added once, and never to runs that are there', async () => {
    expect(await addRecordedRuns(1, RECORDED_RUNS)).toBe(0)
    expect(await addRecordedRuns(1, join(place.folder, 'nowhere.gz'))).toBe(0)
  })

  it('are refused where a line is no run', async () => {
    const { body } = await call('POST', '/projects', { name: 'Elsewhere' })
    const { id } = body as { id: number }
    const file = join(place.folder, 'broken.jsonl.gz')
    writeFileSync(file, gzipSync(JSON.stringify({ run: { id: 'x' }, buckets: [] })))

    await expect(addRecordedRuns(id, file)).rejects.toThrow(/run\.|result/)
  })
})

describe('a database of before', () => {
  it('has what trends read taken from its results', async () => {
    const { run, result } = JSON.parse(LINES[13] ?? '') as { run: RunDetail; result: NonNullable<RunDetail['result']> }
    const sequelize = openDatabase(newDatabase())
    const migrator = migratorOf(sequelize)
    await migrator.up({ to: '009-lists-of-runs' })
    const say = (sql: string, replacements: Record<string, unknown> = {}) =>
      sequelize.query(sql, { type: QueryTypes.RAW, replacements })
    await say("INSERT INTO projects (id, name, path) VALUES (1, 'p', '/p')")
    await say(
      "INSERT INTO runs (id, project_id, number, plan_file, plan_name, target_name, origin, dirty, state, asked_at) VALUES ('old', 1, 1, 'a', 'a', 't', 'o', 0, 'ended', NOW()), ('none', 1, 2, 'a', 'a', 't', 'o', 0, 'ended', NOW())",
    )
    await say(
      "INSERT INTO run_parts (run_id, plan, shape, result) VALUES ('old', '{}', '{}', :result), ('none', '{}', '{}', NULL)",
      {
        result: JSON.stringify({ ...result, findings: [{ kind: 'two populations', level: 'note' }] }),
      },
    )
    for (const [position, gate] of result.gates.entries())
      await say(
        "INSERT INTO gate_results (run_id, position, rule, status, observed, limit_value, unit) VALUES ('old', :position, :rule, :status, :observed, :limit, :unit)",
        { position, rule: gate.rule, status: gate.status, observed: gate.observed, limit: gate.limit, unit: gate.unit },
      )

    await migrator.up()
    const steps = await sequelize.query('SELECT * FROM step_results ORDER BY position', { type: QueryTypes.SELECT })
    const [stored] = await sequelize.query<{ result: string }>('SELECT result FROM run_parts WHERE run_id = :id', {
      ...{ replacements: { id: 'old' }, type: QueryTypes.SELECT },
    })
    const gates = await sequelize.query('SELECT * FROM gate_results ORDER BY position', { type: QueryTypes.SELECT })
    await sequelize.close()

    expect(run.number).toBe(14)
    expect(JSON.parse(stored?.result ?? '')).toMatchObject({
      findings: [{ kind: 'two groups of times', severity: 'info' }],
    })
    expect(steps).toEqual(
      result.steps.map(({ name, requests, failedShare, responseTime }, position) => ({
        ...{ run_id: 'old', position, step: name, requests, failed_share: failedShare },
        p95: responseTime?.percentiles['95'] ?? null,
      })),
    )

    expect(gates).toMatchObject(
      result.gates.map(({ interval, borderline }) => ({
        interval_low: interval?.[0] ?? null,
        interval_high: interval?.[1] ?? null,
        borderline: borderline ? 1 : 0,
      })),
    )
  })
})
