// A database elsewhere: a port instead of a socket, with TLS and a password; limits of time; and the server's folders.
import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, renameSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { text } from 'node:stream/consumers'
import { freePort, startMariaDb, type MariaDb } from '@jolt-gate/scripts'
import { generate } from 'selfsigned'
import { QueryTypes } from 'sequelize'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { isTooLong } from '../src/database/away.js'
import { EventRow } from '../src/database/models.js'
import { lookAtFolders } from '../src/health/folders.js'
import { callerOf, demoPlace, PLAN, signedIn } from './place.js'
import { ended, originOf, startProgram } from './served.js'

const { place, call } = demoPlace()
const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-database-'))
let far: MariaDb
let port: number

beforeAll(async () => {
  const { cert, private: key } = await generate([{ name: 'commonName', value: 'localhost' }], {
    keySize: 2048,
    extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: 'localhost' }] }],
  })
  for (const [name, content] of Object.entries({ 'cert.pem': cert, 'key.pem': key }))
    writeFileSync(join(folder, name), content)
  port = await freePort(0)
  const tls = [`--ssl-cert=${join(folder, 'cert.pem')}`, `--ssl-key=${join(folder, 'key.pem')}`]
  far = await startMariaDb(join(folder, 'data'), 'far', { port, more: tls })
  const sql = `CREATE USER gull@127.0.0.1 IDENTIFIED BY 'grey-gull-9' REQUIRE SSL; GRANT ALL ON far.* TO gull@127.0.0.1`
  execFileSync('mariadb', [
    '--no-defaults',
    `--socket=${far.socketPath}`,
    `--user=${userInfo().username}`,
    '-e',
    `${sql}; CREATE USER gull@localhost IDENTIFIED BY 'grey-gull-9' REQUIRE SSL; GRANT ALL ON far.* TO gull@localhost`,
  ])
})
afterAll(async () => {
  await far.stop()
  rmSync(folder, { recursive: true, force: true })
})

describe('a database at a port', () => {
  const options = () => [
    ...['--database-host', 'localhost', '--database-port', String(port), '--database', 'far'],
    ...['--database-user', 'gull', '--runs-folder', join(folder, 'runs')],
  ]

  it('is reached with TLS and the password of the environment, and by no run', async () => {
    const origin = `http://127.0.0.1:${String(port)}`
    writeFileSync(join(place.repository, 'targets/database.target.yaml'), `origin: ${origin}\n`)
    const program = startProgram(
      [...options(), '--database-ca', join(folder, 'cert.pem'), '--project', place.repository],
      'ignore',
      { JOLT_GATE_DATABASE_PASSWORD: 'grey-gull-9' },
    )
    const at = await originOf(program)
    const asks = callerOf(at, await signedIn(at))
    const asked = await asks('POST', '/projects/1/runs', { plan: PLAN, target: 'database' })
    const { id } = asked.body as { id: string }
    const read = async () => (await asks('GET', `/runs/${id}`)).body as { state: string }
    await expect.poll(async () => (await read()).state).toBe('ended')

    expect(await (await fetch(`${at}/readyz`)).text()).toBe('ready\n')
    expect(JSON.stringify(await read())).toContain(`port ${String(port)} of this machine belongs to Jolt Gate itself`)
    expect(await read()).not.toMatchObject({ verdict: 'open' })
    await ended(program, 'SIGTERM')
    rmSync(join(place.repository, 'targets/database.target.yaml'))
  })

  it('is refused without its certificate or its password, in one sentence that tells neither', async () => {
    const said = async (more: string[], password: string) => {
      const child = startProgram([...options(), ...more], 'pipe', { JOLT_GATE_DATABASE_PASSWORD: password })
      return child.stderr === null ? '' : text(child.stderr)
    }
    const wrong = await said(['--database-ca', join(folder, 'cert.pem')], 'black-gull-1')
    const unknown = await said(['--database-ca', '/dev/null'], 'grey-gull-9')

    expect(wrong).toMatch(/^the database far at localhost:\d+ refuses gull: .*\n$/)
    expect(unknown).toMatch(/^the database far at localhost:\d+ .*\n$/)
    expect(wrong + unknown).not.toMatch(/black|grey/)
  })
})

describe('a statement', () => {
  it('has a limit of time, and its end is told as such', async () => {
    const { sequelize } = EventRow
    if (sequelize === undefined) throw new Error('no database')
    const [limit] = await sequelize.query('SELECT @@max_statement_time AS s', { type: QueryTypes.SELECT })
    const slow = sequelize.query('SET STATEMENT max_statement_time = 0.1 FOR SELECT SLEEP(30)', {
      type: QueryTypes.RAW,
    })

    expect(limit).toEqual({ s: 60 })
    expect(await slow.catch((error: unknown) => isTooLong(error))).toBe(true)
  })
})

describe('the folders', () => {
  it('keep the server from being ready where one is gone, and it is ready when that is back', async () => {
    const ready = async () => {
      const answer = await fetch(`${place.server.origin}/readyz`)
      return [answer.status, await answer.text()]
    }
    const [runs, away] = [join(place.folder, 'runs'), join(place.folder, 'away')]
    renameSync(runs, away)
    await expect.poll(ready, { interval: 200 }).toEqual([503, 'the folder of runs is not there\n'])
    renameSync(away, runs)
    await expect.poll(ready, { interval: 200 }).toEqual([200, 'ready\n'])
  })

  it('say where they can only be read, have too little room, or hold no backup of late', async () => {
    const backups = join(folder, 'backups')
    mkdirSync(backups)
    const look = (runs: string, leastFree?: number) =>
      lookAtFolders({ runs, projects: undefined, backups }, Date.now(), leastFree)
    // The kernel's own folder of processes takes no file, of nobody.
    expect((await look('/proc')).faults).toEqual([expect.stringMatching(/^the folder of runs (?:is|can|cannot)/)])
    expect((await look(folder, Infinity)).full).toEqual([expect.stringMatching(/^the folder of runs has \d+ MB left/)])
    expect((await look(folder, 0)).warnings).toEqual(['there is no backup'])

    const file = join(backups, 'jolt_gate.sql')
    writeFileSync(file, 'x')
    expect((await look(folder, 0)).warnings).toEqual([])
    utimesSync(file, new Date(), new Date(Date.now() - 30 * 3_600_000))
    expect((await look(folder, 0)).warnings).toEqual(['the last backup is 30 h old'])
  })

  it('are told as figures', async () => {
    const until = new Date(Date.now() + 3_600_000)
    const { body } = await call('POST', '/tokens', { label: 'figures', scopes: ['read'], until })
    const headers = { authorization: `Bearer ${(body as { token: string }).token}` }
    const figures = await (await fetch(`${place.server.origin}/metrics`, { headers })).text()

    expect(figures).toMatch(/^jolt_gate_folder_writable\{folder="runs"\} 1$/m)
    expect(Number(/^jolt_gate_folder_free_bytes\{folder="runs"\} (\S+)$/m.exec(figures)?.[1])).toBeGreaterThan(0)
  })
})
