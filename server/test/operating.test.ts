// What docs/operating.md promises: health, figures, the log of requests, backup and restore.
import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync, openSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { startServer } from '@jolt-gate/server'
import { QueryTypes } from 'sequelize'
import { describe, expect, it } from 'vitest'
import { EventRow, PersonRow } from '../src/database/models.js'
import { LogSink } from '../src/observability/log-sink.js'
import { openLog } from '../src/observability/log.js'
import { callerOf, demoPlace, newDatabase, PLAN, signedIn, type Call } from './place.js'

const { place, call } = demoPlace()
const in20Days = () => new Date(Date.now() + 20 * 86_400_000).toISOString()

const get = (path: string, headers: Record<string, string> = {}) => fetch(place.server.origin + path, { headers })

async function ended(asks: Call, id: string): Promise<unknown> {
  await expect.poll(async () => (await asks('GET', `/runs/${id}`)).body).toMatchObject({ state: 'ended' })
  return (await asks('GET', `/runs/${id}`)).body
}

describe('whoever operates the server', () => {
  it('asks whether it is alive and ready, without an account', async () => {
    const [alive, ready] = await Promise.all([get('/healthz'), get('/readyz')])

    expect([alive.status, await alive.text()]).toEqual([200, 'alive\n'])
    expect([ready.status, await ready.text()]).toEqual([200, 'ready\n'])
  })

  it('reads faults of the database in the log, and nothing that was typed', async () => {
    const file = join(place.folder, 'log')
    const sink = openLog('error', new LogSink(openSync(file, 'w')))
    const typed = { email: 'purser@larkholm.example', name: 'Una Spindrift' }
    const add = () => PersonRow.create({ ...typed, role: 'reader', password: 'the-hash-of-una', madeAt: new Date() })
    await add()
    await add().catch((error: unknown) => {
      sink.error({ err: error }, 'could not be stored')
    })

    const line = readFileSync(file, 'utf8')
    expect(line).toMatch(/"message":"[^"]*Validation error/)
    expect(line).not.toMatch(/larkholm|Spindrift|the-hash|INSERT/)
  })

  it('hears that there is no room left, and goes on once there is', async () => {
    const { sequelize } = EventRow
    const token = () => call('POST', '/tokens', { label: 'x'.repeat(90), scopes: ['read'], until: in20Days() })
    // A table in memory is full as one on a full disk is: the database says the same.
    await sequelize?.transaction(async (transaction) => {
      const how = { transaction, type: QueryTypes.RAW } as const
      await sequelize.query('SET SESSION max_heap_table_size = 16384', how)
      await sequelize.query('ALTER TABLE events ENGINE = MEMORY', how)
    })
    const statuses = new Set<number>()
    for (let tries = 0; tries < 100 && !statuses.has(507); tries++) statuses.add((await token()).status)
    const { body } = await token()
    await sequelize?.query('ALTER TABLE events ENGINE = InnoDB', { type: QueryTypes.RAW })

    expect(body).toMatchObject({ status: 507, code: 'FULL', detail: expect.stringContaining('disk is full') as string })
    expect((await token()).status).toBe(201)
  })

  // OpenMetrics 1.0: the content type, counters end with _total, and the exposition with # EOF.
  it('reads its figures as OpenMetrics with a token, and not without', async () => {
    const { body: made } = await call('POST', '/tokens', {
      label: 'figures',
      scopes: ['read'],
      until: new Date(Date.now() + 3_600_000),
    })
    const read = () => get('/metrics', { authorization: `Bearer ${(made as { token: string }).token}` })
    const opened = (text: string) =>
      Number(/^jolt_gate_runs_ended_total\{verdict="open"\} (\d+)$/m.exec(text)?.[1] ?? 0)
    const before = opened(await (await read()).text())
    const { id, number } = (await call('POST', `${place.project}/runs`, { plan: PLAN })).body as Record<string, string>
    await expect
      .poll(async () => (await read()).text())
      .toMatch(
        new RegExp(
          `^jolt_gate_live_requests\\{project="1",plan="${PLAN}",target="here",run="${number ?? ''}"\\} [1-9]`,
          'm',
        ),
      )
    await ended(call, id ?? '')

    const refused = await get('/metrics')
    const answered = await read()

    expect(refused.status).toBe(401)
    expect(answered.headers.get('content-type')).toBe('application/openmetrics-text; version=1.0.0; charset=utf-8')
    const text = await answered.text()
    expect(opened(text)).toBe(before + 1)
    expect(text).toMatch(
      /^jolt_gate_request_seconds_count\{method="GET",route="\/api\/runs\/:run",status="200"\} \d+$/m,
    )
    expect(text.endsWith('# EOF\n')).toBe(true)
  })

  it('restores a backup on another machine: runs with their seconds, people, and secrets with their key', async () => {
    const safe = `origin: ${place.ferries.origin}\nsecrets: [password]\n`
    writeFileSync(join(place.repository, 'targets/safe.target.yaml'), safe)
    await call('PUT', `${place.project}/targets/safe/secrets/password`, { value: 'grey-gull-9' })
    const { body: runs } = await call('GET', `${place.project}/runs`)
    const [{ id }] = (runs as { runs: [{ id: string }] }).runs
    const { body: before } = await call('GET', `/runs/${id}`)
    const there = join(place.folder, 'restored')
    mkdirSync(there)

    const { socketPath, user, database: stored } = place.database
    const dump = execFileSync(
      'mariadb-dump',
      [`--socket=${socketPath}`, `--user=${user}`, '--single-transaction', '--no-tablespaces', '--hex-blob', stored],
      { maxBuffer: 1e9 },
    )
    cpSync(place.repository, join(there, 'booking'), { recursive: true })
    const database = newDatabase()
    execFileSync('mariadb', [`--socket=${database.socketPath}`, `--user=${database.user}`, database.database], {
      input: dump,
    })
    const restored = await startServer({
      database,
      port: 0,
      pages: undefined,
      projects: [],
      runsFolder: join(there, 'runs'),
      sealKey: { key: Buffer.alloc(32, 7) },
      isDemo: true,
    })

    try {
      const asks = callerOf(restored.origin, await signedIn(restored.origin))
      expect((await asks('GET', `/runs/${id}`)).body).toEqual(before)
      expect((await asks('GET', `/runs/${id}/stream`)).body).toContain('event:bucket')
      // Only with the key of before can the secret be opened that this target needs.
      expect((await asks('POST', `${place.project}/runs`, { plan: PLAN, target: 'safe' })).status).toBe(201)
    } finally {
      await restored.stop()
    }
  })
})
