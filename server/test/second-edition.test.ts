// A database of the first edition is read by this one, with its runs and rehearsals; and goes back as it was.
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { startMariaDb, type MariaDb } from '@jolt-gate/scripts'
import { migratorOf, openDatabase } from '@jolt-gate/server'
import { QueryTypes } from 'sequelize'
import { afterAll, beforeAll, expect, it } from 'vitest'

let database: MariaDb
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-edition-'))
beforeAll(async () => {
  database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
})
afterAll(async () => {
  await database.stop()
  rmSync(folder, { recursive: true, force: true })
})

/** As the first edition stored them: a plan as it was read, the shape of its run, its result, a rehearsal. */
const FIRST = {
  plan: {
    name: 'close to the passes',
    journeys: [{ name: 'share', share: 3, onFailure: 'end pass', steps: [{ kind: 'together', steps: [] }] }],
    values: [{ name: 'per', per: 'pass', maker: { kind: 'pick' } }],
    load: { phases: [{ name: 'p', kind: 'passes', passes: 20 }] },
    gates: [
      {
        rule: 'turned away at most 1 %',
        written: 'turned away at most 1 %',
        measure: { kind: 'turned away' },
        comparison: 'at most',
        limit: { kind: 'fixed', value: 0.01, unit: 'share' },
      },
      {
        rule: 'max probe "queue" under 40',
        written: 'max probe "queue" under 40',
        measure: { kind: 'probe', name: 'queue' },
        comparison: 'under',
        limit: { kind: 'baseline', share: 1.1 },
      },
    ],
  },
  shape: { probes: [{ name: 'queue', unit: '', ceiling: 40 }], phases: [{ kind: 'passes' }] },
  result: {
    gates: [{ rule: 'turned away at most 1 %', status: 'held', close: true }],
    totals: { turnedAway: 4 },
    steps: [
      {
        name: 'together',
        responseTime: { count: 2, min: 1, p50: 1, p75: 2, p90: 2, p95: 2, p99: 2, p999: 2 },
        failures: [{ kind: 'name', detail: 'turned away' }],
      },
    ],
  },
  rehearsal: {
    steps: [{ step: 'name', timing: { name: 1.5, connect: 2 }, failure: { kind: 'name' }, kept: [{ name: 'per' }] }],
  },
}

it('a database of the first edition is read in the words of the second, and goes back as it was', async () => {
  const sequelize = openDatabase({ socketPath: database.socketPath, user: database.user, database: 'jolt_gate' })
  const migrator = migratorOf(sequelize)
  await migrator.up({ to: '002-people-secrets-and-rehearsals' })
  const write = (table: string, row: Record<string, unknown>) => sequelize.getQueryInterface().bulkInsert(table, [row])
  const at = new Date('2026-11-01T10:00:00Z')
  await write('projects', { id: 1, name: 'Larkholm', path: '/larkholm' })
  const identity = { plan_file: 'a.gate.yaml', plan_name: 'A', target_name: 'harbour', origin: 'http://127.0.0.1:1' }
  const { plan, shape, result, rehearsal } = FIRST
  const stored = { plan: JSON.stringify(plan), shape: JSON.stringify(shape), result: JSON.stringify(result) }
  const run = { id: 'r', project_id: 1, number: 1, dirty: false, state: 'ended', reasons: '[]', spark: '{}' }
  await write('runs', { ...run, ...identity, ...stored, asked_at: at })
  await write('rehearsals', {
    id: 'h',
    project_id: 1,
    plan_file: 'a',
    at,
    passed: true,
    rehearsal: JSON.stringify(rehearsal),
  })
  const rule = 'turned away at most 1 %'
  await write('gate_results', {
    run_id: 'r',
    position: 0,
    rule,
    status: 'held',
    observed: 0,
    limit_value: 1,
    unit: '%',
  })
  const failure = { run_id: 'r', step: 's', kind: 'name', detail: 'd', count: 1, first_at_ms: 0, sample: '' }
  await write('failures', failure)
  await write('people', { name: 'Ida', email: 'ida@larkholm.example', role: 'keeper', password: 'x', made_at: at })

  const read = async (query: string) =>
    await sequelize.query<Record<string, string>>(query, { type: QueryTypes.SELECT })
  const all = async () => ({
    runs: await read('SELECT plan, shape, result FROM runs'),
    rehearsals: await read('SELECT rehearsal FROM rehearsals'),
    words: await read('SELECT rule, kind, role FROM gate_results, failures, people'),
  })
  const json = (text: string | undefined): unknown => JSON.parse(text ?? '')
  const before = await all()

  await migrator.up({ to: '003-words-of-the-second-edition' })
  const now = await all()
  expect(json(now.runs[0]?.['plan'])).toMatchObject({
    name: 'close to the passes',
    journeys: [{ name: 'share', weight: 3, onFailure: 'end iteration', steps: [{ kind: 'parallel' }] }],
    values: [{ name: 'per', lasts: 'iteration' }],
    load: { phases: [{ kind: 'iterations', iterations: 20 }] },
    gates: [
      {
        rule: 'capped arrivals at most 1 %',
        measure: { kind: 'capped arrivals' },
        limit: { unit: 'share' },
        spans: { measure: [0, 15], of: [], comparison: [16, 23] },
      },
      {
        written: 'max metric "queue" under 40',
        measure: { kind: 'metric', name: 'queue' },
        limit: { share: 1.1 },
        spans: { statistic: [0, 3] },
      },
    ],
  })
  expect(json(now.runs[0]?.['shape'])).toMatchObject({ metrics: [{ name: 'queue' }], phases: [{ kind: 'iterations' }] })
  expect(json(now.runs[0]?.['result'])).toMatchObject({
    gates: [{ rule: 'capped arrivals at most 1 %', borderline: true }],
    totals: { capped: 4 },
    steps: [
      {
        name: 'together',
        responseTime: { count: 2, min: 1, percentiles: { '50': 1, '95': 2, '99.9': 2 } },
        failures: [{ kind: 'dns', detail: 'turned away' }],
      },
    ],
  })
  expect(json(now.rehearsals[0]?.['rehearsal'])).toMatchObject({
    steps: [{ step: 'name', timing: { dns: 1.5, connect: 2 }, failure: { kind: 'dns' }, kept: [{ name: 'per' }] }],
  })
  expect(now.words).toEqual([{ rule: 'capped arrivals at most 1 %', kind: 'dns', role: 'administrator' }])

  await migrator.down()
  const after = await all()
  expect(after.words).toEqual(before.words)
  for (const [table, row] of [
    ['runs', after.runs[0]],
    ['rehearsals', after.rehearsals[0]],
  ] as const)
    for (const [column, text] of Object.entries(row ?? {})) expect(json(text)).toEqual(json(before[table][0]?.[column]))
  await sequelize.close()
})
