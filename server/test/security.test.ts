// Attacks that were seen to work once: each must fail, and leave what it was aimed at as it was.
import { randomBytes } from 'node:crypto'
import { createServer, request } from 'node:http'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { execFile, execFileSync } from 'node:child_process'
import { promisify } from 'node:util'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { WorkingCopy } from '../src/projects/working-copy.js'
import { callerOf, git, signedIn, startPlace, type Call, type Place } from './place.js'

let place: Place
let call: Call
let repository: string
let outside: string

beforeAll(async () => {
  place = await startPlace()
  repository = place.repository
  call = callerOf(place.server.origin, await signedIn(place.server.origin))
  outside = mkdtempSync(join(tmpdir(), 'jolt-gate-outside-'))
  writeFileSync(join(outside, 'secret.gate.yaml'), 'name: outside\n')
})
afterAll(async () => {
  await place.stop()
  rmSync(outside, { recursive: true, force: true })
})

const run = promisify(execFile)
/** Git against this very server, which must be able to answer meanwhile. */
const away = async (folder: string, ...words: string[]): Promise<string> =>
  (
    await run('git', words, { cwd: folder, timeout: 20_000, env: { ...process.env, GIT_TERMINAL_PROMPT: '0' } })
  ).stdout.trim()
const change = (text: string) => ({ text, message: 'a change', base: null })
const planAt = (file: string) => `/projects/1/plan?file=${encodeURIComponent(file)}`

describe('a link in a repository', () => {
  const links: [what: string, make: () => string][] = [
    ['a plan that leads to the settings of Git', () => linked('plans/config.gate.yaml', '../.git/config')],
    ['a plan that leads out', () => linked('plans/out.gate.yaml', join(outside, 'secret.gate.yaml'))],
    ['a plan that leads to what is not there yet', () => linked('plans/hook.gate.yaml', '../.git/hooks/post-commit')],
    ['a folder that leads out', () => join(linked('away', outside), 'secret.gate.yaml')],
    ['a folder that leads into .git', () => join(linked('inner', '.git'), 'new.gate.yaml')],
  ]
  const linked = (path: string, to: string): string => {
    rmSync(join(repository, path), { force: true })
    symlinkSync(to, join(repository, path))
    return path
  }

  it.each(links)('is not read: %s', async (_, make) => {
    expect((await call('GET', planAt(make()))).status).toBe(404)
  })

  it.each(links)('is not written through: %s', async (_, make) => {
    const before = readFileSync(join(repository, '.git/config'), 'utf8')

    const answer = await call('PUT', planAt(make()), change('[core]\n  fsmonitor = touch /tmp/taken\n'))

    expect(answer).toMatchObject({ status: 400, body: { code: 'BAD_PATH' } })
    expect(readFileSync(join(repository, '.git/config'), 'utf8')).toBe(before)
    expect(readFileSync(join(outside, 'secret.gate.yaml'), 'utf8')).toBe('name: outside\n')
  })

  it('is not read as a data file that a plan names', async () => {
    mkdirSync(join(repository, 'data'), { recursive: true })
    linked('data/people.csv', '/etc/passwd')

    const { body } = await call('GET', planAt('plans/short.gate.yaml'))

    expect(JSON.stringify(body)).not.toContain('root:')
  })
})

describe('nothing under .git', () => {
  it.each([
    '.git/a.gate.yaml',
    '.GIT/a.gate.yaml',
    'plans/../.git/a.gate.yaml',
    'plans/.git/a.gate.yaml',
    '/etc/a.gate.yaml',
  ])('is reached by %s', async (file) => {
    expect((await call('GET', planAt(file))).status).toBeGreaterThanOrEqual(400)
    expect((await call('PUT', planAt(file), change('x'))).status).toBe(400)
  })
})

describe('a push', () => {
  let clone: string
  beforeAll(async () => {
    const until = new Date(Date.now() + 86_400_000).toISOString()
    const { token } = (await call('POST', '/tokens', { label: 'git', scopes: ['git'], until })).body as {
      token: string
    }
    clone = mkdtempSync(join(tmpdir(), 'jolt-gate-clone-'))
    const remote = place.server.origin.replace('//', `//me:${token}@`)
    git(repository, 'checkout', '-q', '--', '.')
    git(repository, 'clean', '-qfd')
    await away(clone, 'clone', '-q', `${remote}/git/1.git`, '.')
    git(clone, 'config', 'user.name', 'T')
    git(clone, 'config', 'user.email', 't@t.example')
  })
  afterAll(() => {
    rmSync(clone, { recursive: true, force: true })
  })
  const commit = (message: string) => {
    git(clone, 'add', '-A')
    git(clone, 'commit', '-qm', message)
  }
  const push = (...words: string[]): Promise<string> => away(clone, 'push', '-q', ...words).catch(String)

  it('of files is taken, and the copy on disk follows', async () => {
    writeFileSync(join(clone, 'plans/pushed.gate.yaml'), 'jolt: 1\n')
    commit('files')

    expect(await push()).toBe('')
    expect(readFileSync(join(repository, 'plans/pushed.gate.yaml'), 'utf8')).toBe('jolt: 1\n')
  })

  it('of a link is refused, also where a later commit takes it away again', async () => {
    symlinkSync('../.git/config', join(clone, 'plans/link.gate.yaml'))
    commit('a link')
    expect(await push()).toMatch(/plans\/link\.gate\.yaml is a symbolic link or a submodule/)

    rmSync(join(clone, 'plans/link.gate.yaml'))
    commit('no link')
    expect(await push()).toMatch(/symbolic link or a submodule/)
    git(clone, 'reset', '-q', '--hard', 'origin/main')
  })

  it('is bounded in size: more than 50 MB are not taken, and nothing of them stays', async () => {
    writeFileSync(join(clone, 'large.bin'), randomBytes(54_000_000))
    // Whatever the machine's own settings do with large files.
    git(clone, '-c', 'core.attributesFile=/dev/null', 'add', '-A')
    git(clone, '-c', 'core.attributesFile=/dev/null', 'commit', '-qm', 'very much')
    const before = execFileSync('git', ['count-objects', '-v'], { cwd: repository, encoding: 'utf8' })

    expect(await push()).toMatch(/pack exceeds maximum allowed size|unpack failed|hung up/)
    expect(execFileSync('git', ['count-objects', '-v'], { cwd: repository, encoding: 'utf8' })).toBe(before)
    git(clone, 'reset', '-q', '--hard', 'origin/main')
  })

  it('neither rewrites history nor deletes a branch', async () => {
    git(clone, 'commit', '-q', '--amend', '-m', 'another past')

    expect(await push('--force')).toMatch(/non-fast-forward|denying/)
    expect(await push('origin', ':main')).toMatch(/denying|deletion|prohibited/)
    expect(git(repository, 'log', '-1', '--format=%s')).toBe('files')
  })
})

describe('a push of something else', () => {
  let clone: string
  beforeAll(async () => {
    const until = new Date(Date.now() + 86_400_000).toISOString()
    const { body } = await call('POST', '/tokens', { label: 'git', scopes: ['git'], until })
    const remote = place.server.origin.replace('//', `//me:${(body as { token: string }).token}@`)
    clone = mkdtempSync(join(tmpdir(), 'jolt-gate-clone-'))
    await away(clone, 'clone', '-q', `${remote}/git/1.git`, '.')
  })
  afterAll(() => {
    rmSync(clone, { recursive: true, force: true })
  })
  const push = (...words: string[]): Promise<string> => away(clone, 'push', '-q', 'origin', ...words).catch(String)

  it.each([
    'refs/replace/0123456789012345678901234567890123456789',
    'refs/jolt/x',
    'refs/heads/HEAD',
    'refs/tags/HEAD',
  ])('is refused: %s', async (ref) => {
    expect(await push(`HEAD:${ref}`)).toMatch(/refused: refs\/|funny refname|invalid/)
    expect(git(repository, 'for-each-ref', ref)).toBe('')
  })

  it('is refused where it is very many, and holds nobody up', async () => {
    const names = Array.from({ length: 300 }, (_, number) => `HEAD:refs/tags/many-${String(number)}`)

    expect(await push(...names)).toMatch(/refused: more than 100 branches and tags at once/)
    expect(git(repository, 'tag', '--list', 'many-*')).toBe('')
  })

  it('does not make one text pass for another: what replaces an object, or is a pattern, is read as it is', async () => {
    const { commits } = await WorkingCopy.open(repository)
    const before = await commits.readAt('targets/here.target.yaml', 'HEAD')
    const blob = git(repository, 'rev-parse', 'HEAD:targets/here.target.yaml')
    writeFileSync(join(clone, 'other'), 'origin: http://127.0.0.1:1\n')
    const other = git(repository, 'hash-object', '-w', join(clone, 'other'))
    git(repository, 'replace', blob, other)

    expect(await commits.readAt('targets/here.target.yaml', 'HEAD')).toBe(before)
    expect(commits.readerAt(git(repository, 'rev-parse', 'HEAD'))('targets/here.target.yaml')).toBe(before)
    expect(await commits.history(':(top)', 5)).toEqual([])
    git(repository, 'replace', '-d', blob)
  })
})

describe('the way out', () => {
  const port = () => new URL(place.server.origin).port
  const save = (name: string, text: string) => call('PUT', `${place.project}/targets/${name}`, change(text))
  const runPlan = async (target: string) =>
    (await call('POST', `${place.project}/runs`, { plan: 'plans/short.gate.yaml', target })) as {
      status: number
      body: { id: string; code: string; detail: string }
    }
  const ended = async (id: string) => {
    await expect
      .poll(async () => (await call('GET', `/runs/${id}`)).body)
      .toMatchObject({
        state: 'ended',
      })
    return (await call('GET', `/runs/${id}`)).body
  }

  it('never leads a run, a metric or a clone to the application itself', async () => {
    await save('own', `origin: http://127.0.0.1:${port()}\nalso: ["http://localhost:${port()}"]\n`)
    const { body } = await runPlan('own')

    expect(JSON.stringify(await ended(body.id))).toContain('belongs to Jolt Gate itself')
    for (const host of ['127.0.0.1', 'localhost'])
      expect(
        await call('POST', `${place.project}/targets/own/metric`, { url: `http://${host}:${port()}/metrics` }),
      ).toMatchObject({
        status: 502,
        body: { detail: expect.stringContaining('gives no page of metrics') as string },
      })
    expect(await call('POST', '/projects', { clone: `http://localhost:${port()}/git/1.git` })).toMatchObject({
      status: 403,
      body: { code: 'NOT_PERMITTED' },
    })
  })

  it('leads a clone to a repository over HTTP, and not where that redirects', async () => {
    const bare = join(place.folder, 'away.git')
    git(place.folder, 'clone', '-q', '--bare', repository, bare)
    git(bare, 'update-server-info')
    const served = createServer((request, response) => {
      const path = (request.url ?? '').replace(/[?].*/, '')
      if (path.startsWith('/moved')) response.writeHead(302, { location: path.replace('/moved', '') }).end()
      else if (existsSync(bare + path)) response.end(readFileSync(bare + path))
      else response.writeHead(404).end()
    })
    await new Promise<void>((resolve) => served.listen(0, '127.0.0.1', resolve))
    const at = served.address()
    const from = (path: string) => `http://localhost:${String(typeof at === 'object' ? at?.port : 0)}${path}`

    expect((await call('POST', '/projects', { clone: from('') })).status).toBe(201)
    expect(await call('POST', '/projects', { clone: from('/moved') })).toMatchObject({
      status: 502,
      body: { code: 'NO_GIT_ANSWER' },
    })
    served.closeAllConnections()
    served.close()
  })

  it('takes a secret to no other address than it was stored for, until an administrator confirms it', async () => {
    const target = (origin: string) => `origin: ${origin}\nsecrets: [key]\n`
    const kept = async () => {
      const { body } = await call('GET', `${place.project}/targets`)
      const { targets } = body as { targets: { name: string; base: string; secrets: { from: string }[] }[] }
      return targets.find(({ name }) => name === 'kept')
    }
    await save('kept', target(place.ferries.origin))
    await call('PUT', `${place.project}/targets/kept/secrets/key`, { value: 'low-tide-77' })
    expect((await kept())?.secrets).toEqual([{ name: 'key', from: 'store' }])
    const elsewhere = {
      ...change(target(place.ferries.origin.replace('127.0.0.1', 'localhost'))),
      base: (await kept())?.base,
    }
    await call('PUT', `${place.project}/targets/kept`, elsewhere)

    expect((await kept())?.secrets).toEqual([{ name: 'key', from: 'blocked' }])
    expect(await runPlan('kept')).toMatchObject({ status: 409, body: { code: 'SEALED_OFF' } })
    expect((await call('POST', `${place.project}/targets/kept/secrets`)).status).toBe(204)
    expect((await runPlan('kept')).status).toBe(201)
  })

  it('takes a value of its environment beyond this machine only when an administrator confirms it', async () => {
    process.env['JOLT_SECRET_TIDE'] = 'spring-tide-4'
    const source = async (name: string) => {
      const { body } = await call('GET', `${place.project}/targets`)
      const { targets } = body as { targets: { name: string; secrets: { from: string }[] }[] }
      return targets.find((one) => one.name === name)?.secrets[0]?.from
    }
    await save('at-home', `origin: ${place.ferries.origin}\nsecrets: [tide]\n`)
    await save('abroad', 'origin: http://192.0.2.1\nsecrets: [tide]\n')

    expect([await source('at-home'), await source('abroad')]).toEqual(['environment', 'blocked'])
    expect(await runPlan('abroad')).toMatchObject({ status: 409, body: { code: 'SEALED_OFF' } })
    expect((await call('POST', `${place.project}/targets/abroad/secrets`)).status).toBe(204)
    expect(await source('abroad')).toBe('environment')
    expect((await runPlan('abroad')).body).toMatchObject({ code: 'NOT_PERMITTED' })
    delete process.env['JOLT_SECRET_TIDE']
  })

  it('needs a permission for a proxy, too', async () => {
    await save('through', `origin: ${place.ferries.origin}\nproxy: http://192.0.2.1:3128\n`)

    expect((await runPlan('through')).body).toMatchObject({
      code: 'NOT_PERMITTED',
      detail: expect.stringContaining('http://192.0.2.1:3128 is not on loopback') as string,
    })
  })

  it('is asked for again when a run that waited begins', async () => {
    await save('far', 'origin: http://192.0.2.1\npermission: { by: Ida, rate: 100/s, until: 2099-12-31 }\n')
    await call('POST', `${place.project}/targets/far/approve`, { words: 'It is ours, and we know that it is loaded.' })
    const [first, waiting] = [await runPlan('here'), await runPlan('far')]
    expect(waiting.status).toBe(201)

    execFileSync('mariadb', [
      ...['--no-defaults', `--socket=${place.database.socketPath}`, `--user=${place.database.user}`],
      ...['-e', 'DELETE FROM approvals', place.database.database],
    ])

    await ended(first.body.id)
    expect(await ended(waiting.body.id)).toMatchObject({
      verdict: 'void',
      reasons: [expect.stringMatching(/^not begun: far: control of http:\/\/192\.0\.2\.1 is not proven/) as string],
    })
  })
})

describe('before somebody has signed in', () => {
  /** One request from an address of its own: on Linux all of 127.0.0.0/8 is this machine. */
  const from = (localAddress: string, path: string, method: string, body: string) =>
    new Promise<number | undefined>((resolve, reject) => {
      const headers = { 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) }
      const { hostname, port } = new URL(place.server.origin)
      const asked = request({ hostname, port, localAddress, path: `/api${path}`, method, headers }, (response) => {
        response.resume().on('end', () => {
          resolve(response.statusCode)
        })
      })
      asked.on('error', reject)
      asked.end(body)
    })

  it('nothing large is read', async () => {
    const large = JSON.stringify(change('x'.repeat(900_000)))

    expect(await from('127.0.0.1', planAt('plans/short.gate.yaml'), 'PUT', large)).toBe(401)
    expect(await from('127.0.0.1', '/session', 'POST', JSON.stringify({ email: 'x'.repeat(200_000) }))).toBe(413)
    expect((await call('PUT', planAt('plans/large.gate.yaml'), change('#'.repeat(900_000)))).status).not.toBe(413)
    expect((await call('POST', '/people', { name: 'x'.repeat(200_000) })).status).toBe(413)
  })

  it('a name that is tried from many addresses is never locked', async () => {
    const [email, password] = ['jon@larkholm.example', 'a-lamp-on-the-quay']
    await call('POST', '/people', { name: 'Jon', email, password, role: 'reader' })
    const attempt = (address: number, word: string) =>
      from(`127.0.1.${String(address)}`, '/session', 'POST', JSON.stringify({ email, password: word }))
    const tried: (number | undefined)[] = []
    for (let address = 1; address <= 12; address++) tried.push(await attempt(address, 'guess'))

    expect(new Set(tried)).toEqual(new Set([401]))
    expect(await attempt(99, password)).toBe(201)
  })

  it('a page may send its forms nowhere else, nor move where its addresses lead', async () => {
    const policy = (await fetch(`${place.server.origin}/api/session`)).headers.get('content-security-policy')

    expect(policy).toContain("form-action 'self'")
    expect(policy).toContain("base-uri 'none'")
  })
})
