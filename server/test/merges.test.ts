// A protected default branch goes on only by merges that somebody else has approved: by every road that leads to it.
import { execFile } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { MergeLine } from '@jolt-gate/core/api'
import { CommitHandRow } from '../src/database/models.js'
import { keyOfCommit } from '../src/merges/ssh-signature.js'
import { bareRemote, callerOf, git, PIPELINE, PLAN, planText, signedIn, teamPlace, type Call } from './place.js'

const { place, administrator } = teamPlace()
const run = promisify(execFile)
const LOOSE = planText(2).replace('at most 1 %', 'at most 100 %')
const merges = '/projects/1/merges'

/** Somebody with a clone of the project, who commits and pushes in any name. */
interface Writer {
  call: Call
  email: string
  id: number
  commit: (branch: string, text: string, as?: string) => string
  push: (...words: string[]) => Promise<string>
  /** Apart: the server is in this process. */
  fetch: () => Promise<unknown>
  git: (...words: string[]) => string
}
const folders: string[] = []
let writers = 0
async function writer(role = 'author'): Promise<Writer> {
  const [email, password] = [`w${String(writers++)}@larkholm.example`, 'ten letters and more']
  const { id } = (await administrator('POST', '/people', { name: email, email, password, role })).body as { id: number }
  const { origin } = place.server
  const call = callerOf(origin, await signedIn(origin, '/session', { email, password }))
  const until = new Date(Date.now() + 86_400_000)
  const { token } = (await call('POST', '/tokens', { label: 'git', scopes: ['git'], until })).body as { token: string }
  const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-clone-'))
  folders.push(folder)
  await run('git', ['clone', '-q', `${origin.replace('//', `//me:${token}@`)}/git/1.git`, folder])
  const own = (...words: string[]) => git(folder, ...words)
  own('config', 'user.name', email)
  own('config', 'user.email', email)
  return {
    ...{ call, email, id, git: own },
    commit: (branch, text, as = email) => {
      own('checkout', '-q', '-B', branch)
      writeFileSync(join(folder, PLAN), text)
      own('-c', `user.email=${as}`, 'commit', '-qam', 'A change')
      return own('rev-parse', 'HEAD')
    },
    fetch: () => run('git', ['fetch', '-q'], { cwd: folder }),
    push: (...words) =>
      run('git', ['push', '-q', 'origin', ...words], { cwd: folder }).then(
        () => '',
        (error: unknown) => String(error),
      ),
  }
}
const tip = () => git(place.repository, 'rev-parse', 'main')
const approve = (call: Call, branch: string, commit: string) => call('POST', `${merges}/approvals`, { branch, commit })
const merge = (call: Call, branch: string, commit: string) => call('POST', merges, { branch, commit })
const lineOf = async (branch: string) => {
  const { body } = await administrator('GET', merges)
  return (body as { merges: MergeLine[] }).merges.find((one) => one.branch === branch)
}

let [asker, other]: Writer[] = []
let branch = ''
let number = 0
beforeAll(async () => {
  await administrator('PUT', '/projects/1/protection', { isProtected: true })
  asker = await writer()
  other = await writer()
})
beforeEach(() => {
  branch = `change-${String(number++)}`
})
afterAll(() => {
  for (const folder of folders) rmSync(folder, { recursive: true, force: true })
})
/** Both, the one who asks at where the default branch stands now. */
const the = async (): Promise<{ asker: Writer; other: Writer }> => {
  if (asker === undefined || other === undefined) throw new Error('they are there from the first test on')
  await asker.fetch()
  asker.git('checkout', '-q', 'main')
  asker.git('reset', '-q', '--hard', 'origin/main')
  return { asker, other }
}

describe('a protected default branch', () => {
  it('takes no save, new name, deletion, push or pull, of an administrator either', async () => {
    const { asker } = await the()
    const before = tip()
    const path = `/projects/1/plan?file=${encodeURIComponent(PLAN)}`
    const { base } = (await administrator('GET', path)).body as { base: string }
    const file = `file=${encodeURIComponent(PLAN)}`
    const tries = [
      await administrator('PUT', path, { base, text: LOOSE, message: 'Looser' }),
      await administrator('POST', `/projects/1/file/name?${file}`, { to: 'plans/b.gate.yaml' }),
      await administrator('DELETE', `/projects/1/file?${file}`),
      await administrator('POST', '/projects/1/files', {
        files: [{ path: 'plans/n.gate.yaml', text: LOOSE }],
        message: 'n',
      }),
      await administrator('PUT', '/projects/1/targets/here', {
        base: null,
        text: 'origin: http://127.0.0.1:9\n',
        message: 'n',
      }),
      await administrator('PUT', `/projects/1/pipeline-file?file=pipelines/n.pipeline.yaml`, {
        base: null,
        text: `jolt: 1\npipeline: n\nstages:\n  - stage: s\n    plans: [${PLAN}]\n`,
        message: 'n',
      }),
    ]
    asker.commit('main', LOOSE)
    const pushed = await asker.push('main')
    const bare = bareRemote(place)
    asker.git('push', '-q', bare, 'main')
    await administrator('PUT', '/projects/1/remote', { url: bare })
    const pulled = await administrator('POST', '/projects/1/remote/pull')
    await administrator('PUT', '/projects/1/remote', { url: '' })

    expect(tries.map(({ status }) => status)).toEqual([403, 403, 403, 403, 403, 403])
    expect(pushed).toMatch(/main is protected: [0-9a-f]{7} needs the approval of somebody who has no hand in it/)
    expect(pulled).toMatchObject({ status: 403, body: { code: 'PROTECTED' } })
    expect([tip(), git(place.repository, 'status', '--porcelain')]).toEqual([before, ''])
  })

  it('takes the merge of what somebody else has approved, with both as its parents', async () => {
    const { asker, other } = await the()
    const commit = asker.commit(branch, planText(3))
    expect(await asker.push(branch)).toBe('')
    const before = tip()
    expect(await merge(asker.call, branch, commit)).toMatchObject({ status: 403, body: { code: 'PROTECTED' } })

    expect((await approve(other.call, branch, commit)).status).toBe(201)
    expect(await lineOf(branch)).toMatchObject({
      mayGoOn: true,
      approvals: [{ by: other.email, why: null }],
      files: [PLAN],
    })
    expect((await administrator('GET', `${merges}/changes?branch=${branch}`)).body).toMatchObject({
      changes: expect.stringContaining('+  - { phase: p, rate: 20/s, for: 3s }') as string,
    })
    expect((await merge(asker.call, branch, commit)).status).toBe(200)

    expect(git(place.repository, 'rev-parse', 'main^1', 'main^2')).toBe(`${before}\n${commit}`)
    expect(readFileSync(join(place.repository, PLAN), 'utf8')).toBe(planText(3))
    expect(await lineOf(branch)).toBeUndefined()
    const { body } = await administrator('GET', '/audit-log?search=merge')
    expect((body as { events: { event: string }[] }).events.map(({ event }) => event)).toEqual([
      'merged a branch',
      'approved a merge',
    ])
  })

  it('takes no word of the one who wrote it, pushed it in another name, or had a hand in it', async () => {
    const { asker, other } = await the()
    const forged = asker.commit(branch, LOOSE, 'somebody@elsewhere.example')
    await asker.push(branch)
    const own = await approve(asker.call, branch, forged)
    const named = asker.commit(`${branch}-named`, planText(4), other.email)
    await asker.push(`${branch}-named`)
    const inName = await approve(other.call, `${branch}-named`, named)
    await other.fetch()
    other.git('checkout', '-q', '-B', `${branch}-b`, forged)
    const joint = other.commit(`${branch}-b`, planText(5))
    await other.push(`${branch}-b`)
    const reader = await writer('reader')

    expect(own).toMatchObject({ status: 403, body: { detail: expect.stringContaining('that you brought') as string } })
    expect(inName).toMatchObject({ status: 403, body: { detail: expect.stringContaining('in your name') as string } })
    for (const call of [asker.call, other.call, reader.call])
      expect((await approve(call, `${branch}-b`, joint)).status).toBe(403)
    // What is looked at is what is approved.
    expect((await approve(administrator, `${branch}-b`, forged)).status).toBe(409)
    expect((await approve(administrator, `${branch}-b`, joint)).status).toBe(201)
  })

  it('takes no merge that holds more than was approved, nor what came to the branch afterwards', async () => {
    const { asker, other } = await the()
    const commit = asker.commit(branch, planText(6))
    await asker.push(branch)
    await approve(other.call, branch, commit)
    const later = asker.commit(branch, LOOSE)
    await asker.push(branch)
    expect((await merge(asker.call, branch, later)).status).toBe(403)

    asker.git('checkout', '-q', 'main')
    asker.git('reset', '-q', '--hard', 'origin/main')
    asker.git('merge', '-q', '--no-ff', '--no-commit', commit)
    writeFileSync(join(asker.git('rev-parse', '--show-toplevel'), PLAN), LOOSE)
    asker.git('commit', '-qam', 'A merge with more')
    expect(await asker.push('main')).toMatch(/holds more than was approved/)

    asker.git('reset', '-q', '--hard', 'origin/main')
    asker.git('merge', '-q', '--no-ff', '-m', 'As it was approved', commit)
    expect(await asker.push('main')).toBe('')
    expect(readFileSync(join(place.repository, PLAN), 'utf8')).toBe(planText(6))
  })

  it('takes a merge that somebody without a hand in it has signed and pushed themselves, and no other signature', async () => {
    const { asker, other } = await the()
    const keyOf = async (of: Writer, name: string) => {
      const file = join(of.git('rev-parse', '--show-toplevel'), '..', `${name}-${String(of.id)}`)
      await run('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', file])
      folders.push(file, `${file}.pub`)
      of.git('config', 'gpg.format', 'ssh')
      of.git('config', 'user.signingKey', `${file}.pub`)
      const publicKey = readFileSync(`${file}.pub`, 'utf8')
      return { publicKey, add: () => of.call('POST', '/signing-keys', { label: name, publicKey }) }
    }
    const commit = asker.commit(branch, planText(11))
    await asker.push(branch)
    const signedBy = async (of: Writer) => {
      await of.fetch()
      of.git('checkout', '-q', '-B', 'main', 'origin/main')
      of.git('merge', '-q', '--no-ff', '-S', '-m', 'Merged and signed', commit)
      return of.git('rev-parse', 'HEAD')
    }
    const [own, theirs] = [await keyOf(asker, 'own'), await keyOf(other, 'theirs')]
    expect((await own.add()).status).toBe(201)
    // Signed by who wrote it, and by a key that nobody has registered.
    await signedBy(asker)
    expect(await asker.push('main')).toMatch(/needs the approval of somebody/)
    const merged = await signedBy(other)
    expect(await other.push('main')).toMatch(/needs the approval of somebody/)

    expect((await theirs.add()).status).toBe(201)
    expect((await other.call('POST', '/signing-keys', { label: 'again', publicKey: own.publicKey })).status).toBe(409)
    // A merge that somebody signed for a branch of their own is no word for this one, whoever brings it here.
    await other.push('main:theirs')
    await asker.fetch()
    expect(await asker.push(`${merged}:main`)).toMatch(/needs the approval of somebody/)
    expect(await other.push('main')).toBe('')
    expect(tip()).toBe(merged)
    // As OpenSSH and Git have signed it, and with one word changed.
    const { stdout } = await run('git', ['cat-file', 'commit', merged], { cwd: place.repository })
    expect(keyOfCommit(stdout)).toBe(theirs.publicKey.split(' ').slice(0, 2).join(' '))
    expect(keyOfCommit(stdout.replace('Merged and', 'Forged and'))).toBeUndefined()
  })

  it('never stands at what is in between: a plan that was loosened and restored on a branch comes by a merge', async () => {
    const { asker, other } = await the()
    const loose = asker.commit(branch, LOOSE)
    const restored = asker.commit(branch, planText(12))
    await asker.push(branch)
    expect((await approve(other.call, branch, restored)).status).toBe(201)

    expect(await asker.push(`${branch}:main`)).toMatch(/is no single step from [0-9a-f]{7}: merge it with --no-ff/)
    expect((await merge(asker.call, branch, restored)).status).toBe(200)
    expect(git(place.repository, 'rev-list', '--first-parent', 'main')).not.toContain(loose)
  })

  it('takes what nobody is known to have brought by the word of an administrator alone', async () => {
    const { asker, other } = await the()
    const commit = asker.commit(branch, planText(7), 'somebody@elsewhere.example')
    await asker.push(branch)
    await CommitHandRow.destroy({ where: { commit } })

    expect(await approve(other.call, branch, commit)).toMatchObject({
      status: 403,
      body: { detail: expect.stringContaining('who brought') as string },
    })
    expect((await approve(administrator, branch, commit)).status).toBe(201)
  })

  it('is told from its branches, where people save as ever; whoever saved has a hand in it', async () => {
    const { asker, other } = await the()
    const at = { 'jolt-gate-branch': branch }
    await asker.call('POST', '/projects/1/branches', { name: branch })
    const path = `/projects/1/plan?file=${encodeURIComponent(PLAN)}`
    const { base } = (await asker.call('GET', path, undefined, at)).body as { base: string }
    const saved = await asker.call('PUT', path, { base, text: planText(8), message: 'Longer' }, at)
    const { commit } = saved.body as { commit: string }

    expect(saved.status).toBe(200)
    expect(await approve(asker.call, branch, commit)).toMatchObject({
      body: { detail: expect.stringContaining('that you brought') as string },
    })
    expect((await approve(other.call, branch, commit)).status).toBe(201)
    expect((await merge(administrator, branch, commit)).status).toBe(200)
  })

  it('that is in conflict with a branch says so, and stays as it is', async () => {
    const { asker, other } = await the()
    const first = asker.commit(branch, planText(20))
    asker.git('checkout', '-q', 'main')
    const second = asker.commit(`${branch}-b`, planText(21))
    await asker.push(branch, `${branch}-b`)
    for (const [name, commit] of [
      [branch, first],
      [`${branch}-b`, second],
    ] as const)
      await approve(other.call, name, commit)
    expect((await merge(asker.call, branch, first)).status).toBe(200)
    const before = tip()

    expect(await lineOf(`${branch}-b`)).toMatchObject({ isInConflict: true })
    expect(await merge(asker.call, `${branch}-b`, second)).toMatchObject({ status: 409, body: { code: 'CONFLICT' } })
    expect(tip()).toBe(before)
  })

  it('is an administrator’s to protect and to open; both stand in the audit log', async () => {
    const { asker } = await the()
    expect((await asker.call('PUT', '/projects/1/protection', { isProtected: false })).status).toBe(403)
    expect((await administrator('PUT', '/projects/1/protection', { isProtected: false })).status).toBe(204)
    asker.commit('main', planText(9))

    expect(await asker.push('main')).toBe('')
    expect((await administrator('GET', '/audit-log?search=protect')).body).toMatchObject({
      events: [{ event: 'ended the protection of the default branch' }, { event: 'protected the default branch' }],
    })
  })
})

describe('a stage that takes the approval of another administrator', () => {
  const open = (call: Call, commit: string) =>
    call('POST', '/projects/1/stage-approvals', { stage: 'production', commit, reason: 'The tide waits for nobody' })

  it('is opened by none who has a hand in the change, and by none where nobody is known', async () => {
    const [one, two] = [await writer('administrator'), await writer('administrator')]
    const pipeline = readFileSync(join(place.repository, PIPELINE), 'utf8')
    writeFileSync(
      join(one.git('rev-parse', '--show-toplevel'), PIPELINE),
      pipeline.replace('approval: ', 'approval: another '),
    )
    one.git('commit', '-qam', 'Another approves')
    const commit = one.commit('main', planText(31), 'somebody@elsewhere.example')
    expect(await one.push('main')).toBe('')

    expect(await open(one.call, commit)).toMatchObject({ status: 403, body: { code: 'OWN_CHANGE' } })
    expect(await open(two.call, 'c'.repeat(40))).toMatchObject({
      status: 403,
      body: { detail: expect.stringContaining('nothing is known of who made the change') as string },
    })
    expect((await open(two.call, commit)).body).toMatchObject({ answer: 'admitted', approval: { by: two.email } })
  })
})
