// Faults that are made on purpose: large results, a server that stands still, a log and a database without room, two
// servers in one place, and kills in the middle of a migration.
import { execFileSync, type ChildProcess } from 'node:child_process'
import { mkdirSync, mkdtempSync, openSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { text } from 'node:stream/consumers'
import { setTimeout as sleep } from 'node:timers/promises'
import { addDatabase, startMariaDb, type MariaDb } from '@jolt-gate/scripts'
import { bringUpToDate, openDatabase } from '@jolt-gate/server'
import { createConnection } from 'mariadb'
import { QueryTypes } from 'sequelize'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { lockDatabase } from '../src/database/lock.js'
import { git } from './place.js'
import { ended, killed, originOf, serveProgram, startProgram, stopped, type Served } from './served.js'

const KILLS = Number(process.env['KILLS'] ?? 1)
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-faults-'))
const repository = join(folder, 'larkholm')
const target = createServer((_request, response) => response.end('{}'))
/** Room for little more than the schema: tables share one file that does not grow. */
const SMALL = ['--innodb-file-per-table=0', '--innodb-data-file-path=ibdata1:12M;ibdata2:20M']
let database: MariaDb
let servers: Served[] = []

beforeAll(async () => {
  await new Promise<void>((resolve) => target.listen(0, '127.0.0.1', resolve))
  const address = target.address()
  const port = typeof address === 'object' && address !== null ? address.port : 0
  for (const name of ['plans', 'targets']) mkdirSync(join(repository, name), { recursive: true })
  writeFileSync(join(repository, 'targets/here.target.yaml'), `origin: http://127.0.0.1:${String(port)}\n`)
  writeFileSync(join(repository, 'plans/short.gate.yaml'), planOf(1))
  for (const steps of [150, 2000])
    writeFileSync(join(repository, `plans/large-${String(steps)}.gate.yaml`), planOf(steps))
  git(repository, 'init', '-q', '-b', 'main')
  git(repository, 'config', 'user.name', 'T')
  git(repository, 'config', 'user.email', 't@t.example')
  git(repository, 'add', '-A')
  git(repository, 'commit', '-qm', 'first')
  database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
})
afterEach(async () => {
  for (const server of servers) await stopped(server)
  servers = []
})
afterAll(async () => {
  await database.stop()
  target.close()
  rmSync(folder, { recursive: true, force: true })
})

function planOf(steps: number): string {
  const lines = Array.from({ length: steps }, (_, index) => `      - send: GET /${String(index)}\n`)
  return `jolt: 1
name: ${String(steps)} steps
target: here
journeys:
  a:
    steps:
${lines.join('')}load:
  - { phase: p, starts: 2, for: 2s }
drain: 60s
gates:
  - failed requests at most 1 %
`
}

let places = 0
/** A database of its own, and a folder for runs. */
function newPlace(): string[] {
  const name = `faults_${String(++places)}`
  addDatabase(database.socketPath, name)
  return placeIn(database, name)
}

const placeIn = ({ socketPath }: MariaDb, name: string): string[] => [
  ...['--socket', socketPath, '--database', name, '--runs-folder', join(folder, `${name}-runs`)],
  ...['--project', repository],
]

async function serve(place = newPlace(), errorsTo?: number): Promise<Served> {
  const server = await serveProgram([...place, '--database-user', database.user], errorsTo)
  servers.push(server)
  return server
}

interface Run {
  id: string
  state: string
  part: string | null
  verdict: string | null
  reasons: string[]
}

async function begin({ call }: Served, plan: string): Promise<string> {
  return ((await call('POST', '/projects/1/runs', { plan: `plans/${plan}.gate.yaml` })).body as Run).id
}

async function whenEnded({ call }: Served, id: string): Promise<Run> {
  const read = async () => (await call('GET', `/runs/${id}`)).body as Run
  await expect.poll(async () => (await read()).state, { interval: 100 }).toBe('ended')
  return read()
}

describe('a run', () => {
  // The larger one takes most of a minute.
  it.each(KILLS > 1 ? ['large-150', 'large-2000'] : ['large-150'])(
    'of many steps keeps its verdict: %s',
    async (plan) => {
      const server = await serve()

      expect(await whenEnded(server, await begin(server, plan))).toMatchObject({ verdict: 'open', reasons: [] })
    },
  )

  it('whose server stands still while it ends keeps its verdict', async () => {
    const server = await serve()
    const id = await begin(server, 'large-150')
    await expect.poll(async () => ((await server.call('GET', `/runs/${id}`)).body as Run).part).toBe('load')

    server.process.kill('SIGSTOP')
    await sleep(4000)
    server.process.kill('SIGCONT')

    expect(await whenEnded(server, id)).toMatchObject({ verdict: 'open', reasons: [] })
  })

  it('is stored whole once there is room again, when the disk of the database was full', async () => {
    const small = await startMariaDb(join(folder, 'small'), 'small', { more: SMALL })
    const server = await serve(placeIn(small, 'small'))
    const sequelize = openDatabase({ socketPath: small.socketPath, user: small.user, database: 'small' })
    const run = (sql: string) => sequelize.query(sql, { type: QueryTypes.RAW })
    await run('CREATE TABLE filler (id INT AUTO_INCREMENT PRIMARY KEY, data VARCHAR(8000)) CHARACTER SET latin1')
    const id = await begin(server, 'large-150')
    await expect.poll(async () => ((await server.call('GET', `/runs/${id}`)).body as Run).part).toBe('load')

    const fill = async () => {
      for (;;) await run("INSERT INTO filler (data) VALUES (REPEAT('x', 7900))")
    }
    await expect(fill()).rejects.toThrow(/is full/)
    await sleep(4000)
    const during = ((await server.call('GET', `/runs/${id}`)).body as Run).part
    await run('DROP TABLE filler')
    await sequelize.close()

    expect(during).not.toBe('ended')
    expect(await whenEnded(server, id)).toMatchObject({ verdict: 'open', reasons: [] })
    await stopped(server)
    await small.stop()
  })
})

describe('a server', () => {
  it('whose log cannot be written goes on, and counts the lines', async () => {
    const server = await serve(newPlace(), openSync('/dev/full', 'w'))
    for (let requests = 0; requests < 20; requests++) await server.call('GET', '/projects')

    const figures = await (await fetch(`${server.origin}/metrics`, { headers: server.headers })).text()
    const dropped = Number(/^jolt_gate_log_lines_dropped_total (\d+)$/m.exec(figures)?.[1])

    expect(dropped).toBeGreaterThanOrEqual(20)
    expect(server.process.exitCode).toBe(null)
  })

  it.each([
    { what: 'database', other: (place: string[]) => ['--runs-folder', `${place[5] ?? ''}-other`] },
    { what: 'folder of runs', other: () => newPlace().slice(0, 4) },
  ])('is refused where another one has the $what, in one sentence', async ({ what, other }) => {
    const place = newPlace()
    const first = await serve(place)
    const second = startProgram([...place, '--database-user', database.user, ...other(place)], 'pipe')
    const [said] = await Promise.all([
      second.stderr === null ? '' : text(second.stderr),
      new Promise((resolve) => second.once('exit', resolve)),
    ])

    expect(said).toMatch(new RegExp(`^another server has the ${what} .*--standby\n$`))
    expect(second.exitCode).toBe(1)
    expect((await fetch(`${first.origin}/readyz`)).status).toBe(200)
  })

  it('that waits takes over when the first one is killed, and ends its run truly', async () => {
    const place = newPlace()
    const first = await serve(place)
    const id = await begin(first, 'short')
    await expect.poll(async () => ((await first.call('GET', `/runs/${id}`)).body as Run).part).toBe('load')
    const waiting = serve([...place, '--standby'])

    await killed(first)

    expect(await whenEnded(await waiting, id)).toMatchObject({ verdict: 'stopped' })
  })

  it('whose database stands still is not ready, ends when it is asked to, and loses nothing', async () => {
    const place = newPlace()
    const server = await serve(place)
    const id = await begin(server, 'short')
    await expect.poll(async () => ((await server.call('GET', `/runs/${id}`)).body as Run).part).toBe('load')

    signalDatabase('STOP')
    const ready = await fetch(`${server.origin}/readyz`)
    await stopped(server)
    signalDatabase('CONT')

    expect(ready.status).toBe(503)
    expect(await whenEnded(await serve(place), id)).toMatchObject({
      verdict: expect.stringMatching(/open|stopped/) as string,
    })
  })

  it('waits for a connection while others have them all', async () => {
    const small = await startMariaDb(join(folder, 'few'), 'few', { more: ['--max-connections=10'] })
    const server = await serve(placeIn(small, 'few'))
    const open = () => createConnection({ socketPath: small.socketPath, user: small.user, database: 'few' })
    // As many as there are: the last ones are refused.
    const others = (await Promise.allSettled(Array.from({ length: 14 }, open))).flatMap((one) =>
      one.status === 'fulfilled' ? [one.value] : [],
    )
    const asked = Promise.all(Array.from({ length: 8 }, () => server.call('GET', '/people')))
    await sleep(1000)
    for (const other of others) await other.end()

    expect((await asked).map(({ status }) => status)).toEqual(Array<number>(8).fill(200))
    await stopped(server)
    await small.stop()
  })

  it('keeps its database when that starts again, and one that waits goes on waiting', async () => {
    const socketPath = join(folder, 'again.sock')
    const open = async () => {
      const started = await startMariaDb(join(folder, 'again'), 'again')
      symlinkSync(started.socketPath, `${socketPath}.new`)
      renameSync(`${socketPath}.new`, socketPath)
      return started
    }
    const before = await open()
    const address = { socketPath, user: before.user, database: 'again' }
    const seen: string[] = []
    const first = await lockDatabase(address, false, () => seen.push('the first has lost it'))
    const second = lockDatabase(address, true, () => seen.push('the second has lost it'))
    void second.then(() => seen.push('the second has it'))

    execFileSync('pkill', ['-KILL', '-f', `datadir=${join(folder, 'again')}`])
    await before.ended
    const after = await open()
    await sleep(6000)
    await expect(lockDatabase(address, false, () => undefined)).rejects.toThrow('another server has the database again')
    expect(seen).toEqual([])
    await first.release()

    await (await second).release()
    expect(seen).toEqual(['the second has it'])
    await after.stop()
  })

  it('says in one sentence what keeps it from starting', async () => {
    const [, , ...rest] = newPlace()
    const child = startProgram(['--socket', join(folder, 'none.sock'), ...rest], 'pipe')

    expect(child.stderr === null ? '' : await text(child.stderr)).toMatch(/^the database .* does not answer: .*\n$/)
  })
})

describe('a save', () => {
  it.each(Array.from({ length: KILLS }, (_, index) => index + 1))(
    'that is killed is made again (%i)',
    async (number) => {
      const place = newPlace()
      const path = '/projects/1/plan?file=plans/short.gate.yaml'
      const first = await serve(place)
      const { base } = (await first.call('GET', path)).body as { base: string }
      const asked = {
        text: planOf(1).replace('1 steps', `killed ${String(number)} times`),
        base,
        message: 'Another name',
      }
      const lost = first.call('PUT', path, asked).catch(() => undefined)
      await sleep(Math.random() * 150)
      await killed(first)
      await lost

      const next = await serve(place)

      expect((await next.call('PUT', path, asked)).status).toBe(200)
      expect(git(repository, 'status', '--porcelain')).toBe('')
      expect(git(repository, 'show', 'HEAD:plans/short.gate.yaml')).toBe(asked.text.trim())
    },
  )
})

describe('a migration', () => {
  it('that is killed again and again is made to its end', async () => {
    const place = newPlace()
    for (let kills = 0; kills < KILLS + 2; kills++) {
      const child: ChildProcess = startProgram([...place, '--database-user', database.user])
      await expect.poll(() => tablesOf(place[3] ?? ''), { interval: 5 }).toBeGreaterThan(kills)
      await sleep(Math.random() * 300)
      await ended(child, 'SIGKILL')
    }

    const child = startProgram([...place, '--database-user', database.user])
    const origin = await originOf(child)

    expect((await fetch(`${origin}/readyz`)).status).toBe(200)
    await ended(child, 'SIGTERM')
  })

  it('goes on wherever it was cut: after each statement, noted or not', async () => {
    const name = newPlace()[3] ?? ''
    const whole = await schemaAfter(newPlace()[3] ?? '', () => Infinity)
    // Each try is cut one statement later than the one before: now before its note, now after it.
    const cut = await schemaAfter(name, (tries) => 1 + (tries % 3))

    expect(cut).toEqual(whole)
  })

  it('of a newer server is refused', async () => {
    const [, , , name = ''] = newPlace()
    const sequelize = openDatabase({ socketPath: database.socketPath, user: database.user, database: name })
    await bringUpToDate(sequelize)
    await sequelize.query("INSERT INTO migrations VALUES ('999-later')", { type: QueryTypes.RAW })

    await expect(bringUpToDate(sequelize)).rejects.toThrow('the database is of a newer server (migration 999-later)')
    await sequelize.close()
  })
})

function signalDatabase(signal: 'STOP' | 'CONT'): void {
  execFileSync('pkill', [`-${signal}`, '-f', `datadir=${join(folder, 'data')}`])
}

function tablesOf(name: string): number {
  const sql = `SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = '${name}'`
  const how = ['--no-defaults', `--socket=${database.socketPath}`, `--user=${database.user}`, '-N', '-e', sql]
  return Number(execFileSync('mariadb', how, { encoding: 'utf8' }))
}

/** Migrates, cut off after so many statements in each try until one comes through; gives all columns and indexes. */
async function schemaAfter(name: string, statements: (tries: number) => number): Promise<unknown[]> {
  const sequelize = openDatabase({ socketPath: database.socketPath, user: database.user, database: name })
  const query = sequelize.query.bind(sequelize)
  for (let tries = 0; ; tries++) {
    let left = statements(tries)
    // What is asked does nothing; what changes something is done, and its answer lost, as by a kill.
    Reflect.set(sequelize, 'query', async (...given: Parameters<typeof query>) => {
      const answer: unknown = await query(...given)
      const [sql] = given
      const isChange = /^(?:CREATE|ALTER|DROP|INSERT|UPDATE|DELETE)/i.test(typeof sql === 'string' ? sql : sql.query)
      if (isChange && --left <= 0) throw new Error('cut')
      return answer
    })
    try {
      await bringUpToDate(sequelize)
      break
    } catch (error) {
      if (!(error instanceof Error && error.message.includes('cut'))) throw error
    }
  }
  const columns = `SELECT table_name, column_name, column_type FROM information_schema.columns WHERE table_schema = :name ORDER BY 1, 2`
  const indexes = `SELECT table_name, index_name, column_name FROM information_schema.statistics WHERE table_schema = :name ORDER BY 1, 2, 3`
  const read = (sql: string) => query(sql, { type: QueryTypes.SELECT, replacements: { name } })
  const found = [...(await read(columns)), ...(await read(indexes))]
  await sequelize.close()
  return found
}
