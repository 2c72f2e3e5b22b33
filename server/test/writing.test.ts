// Projects and their files: what the application writes into a repository, and what Git makes of it.
import { execFile } from 'node:child_process'
import { createServer } from 'node:http'
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { describe, expect, it } from 'vitest'
import { RemoteStore } from '../src/git/remotes.js'
import { bareRemote, callerOf, git, PLAN, planText, signedIn, teamPlace } from './place.js'

const { place, administrator } = teamPlace()

describe('projects', () => {
  it('begin empty, from a folder, or as a clone of a local path', async () => {
    const empty = await administrator('POST', '/projects', { name: 'Tarn Skerry' })
    const clone = await administrator('POST', '/projects', { clone: place.repository })
    const id = (clone.body as { id: number }).id

    expect(empty).toMatchObject({ status: 201, body: { name: 'tarn-skerry' } })
    expect((await administrator('GET', `/projects/${String(id)}/plans`)).body).toMatchObject({
      branch: 'main',
      plans: [{ name: 'Short' }],
    })
    expect(await administrator('POST', '/projects', { clone: 'ext::sh -c id' })).toMatchObject({ status: 400 })
    expect(await administrator('POST', '/projects', { clone: '/nowhere' })).toMatchObject({ status: 400 })
    expect(await administrator('POST', '/projects', { path: '/' })).toMatchObject({
      status: 400,
      body: { code: 'NO_GIT' },
    })
  })

  it('take what an import made in one commit, and nothing is written over', async () => {
    const files = [
      { path: 'plans/made.gate.yaml', text: planText(1) },
      { path: 'schemas/api.openapi.json', text: '{}' },
    ]
    expect((await administrator('POST', `${place.project}/files`, { files, message: 'From a recording' })).status).toBe(
      201,
    )
    expect(git(place.repository, 'show', '--name-only', '--format=%s', 'HEAD').split('\n').filter(Boolean)).toEqual([
      'From a recording',
      'plans/made.gate.yaml',
      'schemas/api.openapi.json',
    ])
    expect((await administrator('POST', `${place.project}/files`, { files, message: 'again' })).status).toBe(409)
    for (const path of ['../x.gate.yaml', '.git/config', 'README.md', 'schemas/../../x.json'])
      expect(
        (await administrator('POST', `${place.project}/files`, { files: [{ path, text: 'x' }], message: 'x' })).status,
      ).toBe(400)
  })
})

describe('files', () => {
  it('keep data files that are read and changed like a plan, and no other file', async () => {
    const path = '/projects/1/data?file=data/rows.csv'
    expect(await administrator('GET', path)).toMatchObject({ status: 404 })
    const made = await administrator('PUT', path, { text: 'name\nTove\n', message: 'Rows', base: null })
    expect(made.status).toBe(200)
    const read = await administrator('GET', path)
    expect(read.body).toMatchObject({ file: 'data/rows.csv', text: 'name\nTove\n' })
    const over = await administrator('PUT', path, { text: 'name\nIda\n', message: 'Over', base: 'another' })
    expect(over).toMatchObject({ status: 409, body: { code: 'CHANGED' } })
    const again = { files: [{ path: 'data/rows.csv', text: 'name\nJon\n' }], message: 'Written over' }
    expect(await administrator('POST', '/projects/1/files', again)).toMatchObject({ status: 409 })
    for (const file of ['plans/a.gate.yaml', '../rows.csv', '.git/x.csv', 'data/rows.txt'])
      expect(await administrator('GET', `/projects/1/data?file=${encodeURIComponent(file)}`)).toMatchObject({
        status: 400,
      })
  })

  it('delete and rename files in commits of their own, runs and history go along, and nothing is written over', async () => {
    const save = (file: string) =>
      administrator('POST', '/projects/1/files', { files: [{ path: file, text: planText(2) }], message: 'Here' })
    for (const file of ['plans/old.gate.yaml', 'plans/taken.gate.yaml']) expect((await save(file)).status).toBe(201)
    const rename = (from: string, to: string) =>
      administrator('POST', `/projects/1/file/name?file=${encodeURIComponent(from)}`, { to })

    expect(await rename('plans/old.gate.yaml', 'plans/taken.gate.yaml')).toMatchObject({ status: 409 })
    expect(await rename('plans/old.gate.yaml', '../out.gate.yaml')).toMatchObject({ status: 400 })
    expect(await rename('plans/old.gate.yaml', 'plans/renamed.gate.yaml')).toMatchObject({ status: 200 })
    expect(git(place.repository, 'show', '--name-status', '--format=%s', 'HEAD')).toMatch(
      /^Rename plans\/old.gate.yaml to plans\/renamed.gate.yaml\n\nR100\tplans\/old.gate.yaml\tplans\/renamed.gate.yaml/,
    )
    const gone = await administrator('DELETE', '/projects/1/file?file=plans/renamed.gate.yaml')
    expect(gone).toMatchObject({ status: 200, body: { dirty: false } })
    expect(git(place.repository, 'show', '--name-status', '--format=%s', 'HEAD')).toMatch(/^Delete .*\n\nD\t/)
    for (const file of ['plans/renamed.gate.yaml', '.git/config', '../x.gate.yaml', 'README.md'])
      expect((await administrator('DELETE', `/projects/1/file?file=${encodeURIComponent(file)}`)).status).toBe(404)
  })
})

describe('Git', () => {
  const run = promisify(execFile)
  const inFolder = async (folder: string, ...words: string[]) =>
    (await run('git', words, { cwd: folder, env: { ...process.env, GIT_TERMINAL_PROMPT: '0' } })).stdout.trim()

  it('from a terminal clones, pulls and pushes with a token, and the files on disk follow', async () => {
    const until = new Date(Date.now() + 86_400_000).toISOString()
    const { token } = (await administrator('POST', '/tokens', { label: 'terminal', scopes: ['git'], until })).body as {
      token: string
    }
    const remote = `${place.server.origin.replace('://', `://ida:${token}@`)}/git/1.git`
    const clone = join(place.folder, 'clone')

    await inFolder(place.folder, 'clone', '-q', remote, clone)
    writeFileSync(join(clone, PLAN), planText(9))
    await inFolder(
      clone,
      '-c',
      'user.name=Jon',
      '-c',
      'user.email=jon@larkholm.example',
      'commit',
      '-qam',
      'From a terminal',
    )
    await inFolder(clone, 'push', '-q')

    expect(readFileSync(join(place.repository, PLAN), 'utf8')).toBe(planText(9))
    const change = {
      text: planText(8),
      message: 'From the page',
      base: ((await administrator('GET', `${place.project}/plan?file=${PLAN}`)).body as { base: string }).base,
    }
    await administrator('PUT', `${place.project}/plan?file=${PLAN}`, change)
    await inFolder(clone, 'pull', '-q')
    expect(await inFolder(clone, 'log', '-1', '--format=%s')).toBe('From the page')
    await expect(
      inFolder(place.folder, 'clone', '-q', remote.replace(token, 'jgt_wrong'), join(place.folder, 'no')),
    ).rejects.toThrow()
    expect((await fetch(`${place.server.origin}/git/1.git/config`)).status).toBe(404)
  })

  it('has a history with the runs that were made at each commit', async () => {
    const file = 'plans/made.gate.yaml'
    const { base } = (await administrator('GET', `${place.project}/plan?file=${file}`)).body as { base: string }
    const change = { text: planText(2), message: 'Twice as long', base }
    await administrator('PUT', `${place.project}/plan?file=${file}`, change)
    const { body } = await administrator('POST', `${place.project}/runs`, { plan: file })

    const history = await administrator('GET', `${place.project}/history?file=${file}`)

    const { commits } = history.body as {
      commits: { commit: string; message: string; who: string; runs: { id: string }[] }[]
    }
    expect(commits).toMatchObject([
      { message: 'Twice as long', who: 'Ida Quay', runs: [{ id: (body as { id: string }).id }] },
      { message: 'From a recording', runs: [] },
    ])
    const old = `${place.project}/version?file=${file}&commit=${commits[1]?.commit ?? ''}`
    expect((await administrator('GET', old)).body).toEqual({ text: planText(1) })
  })

  it('has branches: people look at different ones at once, and the files on disk stay where they are', async () => {
    const on = (branch: string) => ({ 'jolt-gate-branch': encodeURIComponent(branch) })
    const planAt = async (branch?: string) =>
      (
        await administrator(
          'GET',
          `${place.project}/plan?file=${PLAN}`,
          undefined,
          branch === undefined ? {} : on(branch),
        )
      ).body as { text: string; base: string; branch: string; commit: string; dirty: boolean }
    const create = (name: string) => administrator('POST', `${place.project}/branches`, { name })
    const before = await planAt()
    const name = 'søk/slower'

    expect((await create('slower search')).status).toBe(400)
    expect((await create(name)).body).toMatchObject({ branch: name })
    const change = { text: planText(4), message: 'Slower there', base: before.base }
    const saved = await administrator('PUT', `${place.project}/plan?file=${PLAN}`, change, on(name))

    expect(saved).toMatchObject({ status: 200, body: { branch: name, dirty: false } })
    expect(await planAt(name)).toMatchObject({ text: planText(4), branch: name })
    expect(await planAt()).toMatchObject({ text: before.text, branch: 'main', commit: before.commit })
    expect(git(place.repository, 'log', '-1', '--format=%s', name)).toBe('Slower there')
    // What is asked for on a branch runs as it stands there.
    const run = await administrator('POST', `${place.project}/runs`, { plan: PLAN }, on(name))
    expect(run.body).toMatchObject({ branch: name, commit: git(place.repository, 'rev-parse', name) })
    // Git may move the branch, and even stand on it.
    git(place.repository, 'switch', '-q', name)
    git(place.repository, '-c', 'user.name=T', '-c', 'user.email=t@t', 'commit', '-q', '--allow-empty', '-m', 'Moved')
    git(place.repository, 'switch', '-q', 'main')
    expect((await planAt(name)).commit).toBe(git(place.repository, 'rev-parse', name))
    // Killed in the middle of its work, Git leaves locks and halves behind.
    const [copy = ''] = readdirSync(join(place.repository, '.git/worktrees'))
    writeFileSync(join(place.repository, '.git/worktrees', copy, 'index.lock'), '')
    mkdirSync(join(place.repository, '.git/jolt-gate-branches', `${copy}-making`, '.git'), { recursive: true })
    git(place.repository, 'branch', '-f', name, 'main~1')
    expect((await planAt(name)).commit).toBe(git(place.repository, 'rev-parse', 'main~1'))
    git(place.repository, 'branch', '-D', name)
    const gone = await administrator('GET', `${place.project}/plans`, undefined, on(name))
    expect(gone).toMatchObject({ status: 404, body: { code: 'NO_BRANCH', detail: `there is no branch ${name}` } })
    for (const odd of ['../main', '--help', 'main^{tree}', 'x'.repeat(300)])
      expect((await administrator('GET', `${place.project}/plans`, undefined, on(odd))).status).toBeGreaterThan(399)
  })

  it('pulls from and pushes to the remote of a project, and loses no commit where both have their own', async () => {
    const bare = bareRemote(place)
    const elsewhere = join(place.folder, 'elsewhere')
    const remote = (verb: 'pull' | 'push') => administrator('POST', `${place.project}/remote/${verb}`, {})
    const commitElsewhere = (message: string) => {
      git(elsewhere, '-c', 'user.name=N', '-c', 'user.email=n@n', 'commit', '-q', '--allow-empty', '-m', message)
      git(elsewhere, 'push', '-q', 'origin', 'main')
    }
    expect(await remote('pull')).toMatchObject({ status: 409, body: { code: 'NO_REMOTE' } })
    expect(await administrator('PUT', `${place.project}/remote`, { url: 'ssh://x/y' })).toMatchObject({ status: 400 })
    // It reads folders of this machine: the administrator of one project is not enough.
    const jon = { name: 'Jon', email: 'jon@larkholm.example', password: 'eleven-buoys', role: 'author' }
    const { id } = (await administrator('POST', '/people', jon)).body as { id: number }
    await administrator('PUT', `/people/${String(id)}/projects/1`, { role: 'administrator' })
    const author = callerOf(
      place.server.origin,
      await signedIn(place.server.origin, '/session', { email: jon.email, password: jon.password }),
    )
    expect(await author('PUT', `${place.project}/remote`, { url: bare })).toMatchObject({ status: 403 })
    const set = await administrator('PUT', `${place.project}/remote`, { url: bare })
    expect(set.body).toEqual({ url: bare, hasPassword: false })

    const before = Number(git(place.repository, 'rev-list', '--count', 'main'))
    expect((await remote('push')).body).toEqual({ commits: before })
    expect((await remote('push')).body).toEqual({ commits: 0 })
    git(place.folder, 'clone', '-q', bare, elsewhere)
    commitElsewhere('From elsewhere')
    expect(await remote('push')).toMatchObject({ status: 409, body: { code: 'DIVERGED' } })
    expect((await remote('pull')).body).toEqual({ commits: 1 })
    expect(git(place.repository, 'log', '-1', '--format=%s')).toBe('From elsewhere')

    commitElsewhere('Another')
    const text = { text: 'name\nTove\n', message: 'Ours', base: null }
    await administrator('PUT', '/projects/1/data?file=data/ours.csv', text)
    expect(await remote('pull')).toMatchObject({ status: 409, body: { code: 'DIVERGED' } })
    expect(git(place.repository, 'log', '-1', '--format=%s')).toBe('Ours')
  })

  it('takes no password of a remote that it could not keep sealed', async () => {
    const keyless = new RemoteStore(undefined)
    const credential = 'ida:buoy/bell'

    await expect(keyless.write(1, { url: 'https://git.example/a.git', credential })).rejects.toMatchObject({
      code: 'NO_KEY',
    })
    expect(() => {
      keyless.refuseUnsealed({ url: 'https://git.example/a.git', credential: undefined })
    }).not.toThrow()
  })

  it('keeps the password of a remote sealed, sends it as a header, and shows it nowhere', async () => {
    const seen: (string | undefined)[] = []
    const server = createServer((request, response) => {
      seen.push(request.headers.authorization)
      response.writeHead(403).end()
    })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const address = server.address()
    const host = `127.0.0.1:${String(typeof address === 'object' ? address?.port : 0)}`
    const set = await administrator('PUT', `${place.project}/remote`, { url: `http://ida:buoy%2Fbell@${host}/a.git` })
    const pull = await administrator('POST', `${place.project}/remote/pull`, {})
    server.close()

    expect(set.body).toEqual({ url: `http://${host}/a.git`, hasPassword: true })
    expect(pull).toMatchObject({ status: 502, body: { code: 'NO_GIT_ANSWER' } })
    expect(seen[0]).toBe(`Basic ${Buffer.from('ida:buoy/bell').toString('base64')}`)
    for (const shown of [set, pull, await administrator('GET', '/audit-log?search=remote')])
      expect(JSON.stringify(shown)).not.toMatch(/buoy|Basic/)
    expect(readFileSync(join(place.repository, '.git/config'), 'utf8')).not.toContain('buoy')
  })
})
