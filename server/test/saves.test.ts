// Saves that fail or are killed: nothing of them stays on disk, and what is left behind is in nobody's way.
import { existsSync, readdirSync, readFileSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, describe, expect, it } from 'vitest'
import { demoPlace, git, PLAN, planText } from './place.js'

const { place, call } = demoPlace()
const path = () => `${place.project}/plan?file=${encodeURIComponent(PLAN)}`
const onDisk = () => readFileSync(join(place.repository, PLAN), 'utf8')
const changes = () => git(place.repository, 'status', '--porcelain')
const inGit = (name: string) => join(place.repository, '.git', name)

let base: string
let text: string
beforeEach(async () => {
  ;({ base, text } = (await call('GET', path())).body as { base: string; text: string })
})
const save = (seconds: number) => call('PUT', path(), { text: planText(seconds), base, message: 'Longer' })

describe('a save', () => {
  it('that fails leaves all as it was', async () => {
    writeFileSync(inGit('index.lock'), '')

    expect((await save(31)).status).toBeGreaterThanOrEqual(400)

    expect([onDisk(), changes()]).toEqual([text, ''])
    rmSync(inGit('index.lock'))
    expect((await save(31)).status).toBe(200)
  })

  it('is not held up by a lock that a process which is gone has left', async () => {
    writeFileSync(inGit('index.lock'), '')
    const before = new Date(Date.now() - 86_400_000)
    utimesSync(inGit('index.lock'), before, before)

    expect((await save(32)).status).toBe(200)

    expect(existsSync(inGit('index.lock'))).toBe(false)
  })

  it('that was killed before its commit is undone, and made again', async () => {
    // What a kill leaves between writing and committing.
    const note = [{ file: PLAN, before: text, after: planText(33) }]
    writeFileSync(inGit('jolt-gate-save.json'), JSON.stringify(note))
    writeFileSync(join(place.repository, PLAN), planText(33))
    git(place.repository, 'add', '--', PLAN)

    const other = await call('PUT', `${place.project}/plan?file=plans/other.gate.yaml`, {
      ...{ text: planText(1), base: null, message: 'Another' },
    })

    expect(other.status).toBe(200)
    expect([onDisk(), changes()]).toEqual([text, ''])
    expect((await save(33)).status).toBe(200)
    expect(onDisk()).toBe(planText(33))
  })

  it('that was killed after its commit is finished, and the same text again is no conflict', async () => {
    expect((await save(34)).status).toBe(200)
    writeFileSync(inGit('jolt-gate-save.json'), JSON.stringify([{ file: PLAN, before: text, after: planText(34) }]))
    const commits = git(place.repository, 'rev-list', '--count', 'HEAD')

    expect((await save(34)).status).toBe(200)

    expect([onDisk(), changes(), existsSync(inGit('jolt-gate-save.json'))]).toEqual([planText(34), '', false])
    expect(git(place.repository, 'rev-list', '--count', 'HEAD')).toBe(commits)
  })

  it('to an index that Git cannot read says so, with the way to mend it', async () => {
    const index = readFileSync(inGit('index'))
    writeFileSync(inGit('index'), 'no index at all, but long enough to have a header')

    const refused = await save(35)

    expect(refused).toMatchObject({ status: 409, body: { code: 'GIT_BROKEN' } })
    expect((refused.body as { detail: string }).detail).toContain('.git/index')
    rmSync(inGit('index'))
    git(place.repository, 'reset', '-q')
    expect([onDisk(), changes()]).toEqual([text, ''])
    writeFileSync(inGit('index'), index)
  })
})

describe('a new name, or a deletion,', () => {
  const filesNow = () => readdirSync(join(place.repository, 'plans'))
  const file = (more: string) => `${place.project}/file${more}?file=${encodeURIComponent(PLAN)}`

  it('that Git refuses leaves all as it was: no file stays that is in no commit', async () => {
    const files = filesNow()
    writeFileSync(inGit('info/exclude'), 'ignored*\n')
    const ignored = await call('POST', file('/name'), { to: 'plans/ignored.gate.yaml' })
    writeFileSync(inGit('index.lock'), '')
    const locked = await call('POST', file('/name'), { to: 'plans/other.gate.yaml' })
    const kept = await call('DELETE', file(''))
    rmSync(inGit('index.lock'))
    rmSync(inGit('info/exclude'))

    expect([ignored, locked, kept].filter(({ status }) => status < 400)).toEqual([])
    expect([onDisk(), changes(), filesNow()]).toEqual([text, '', files])
  })

  it('that was killed before its commit is undone', async () => {
    const files = filesNow()
    const moved = [
      { file: 'plans/moved.gate.yaml', before: null, after: text },
      { file: PLAN, before: text, after: null },
    ]
    writeFileSync(inGit('jolt-gate-save.json'), JSON.stringify(moved))
    writeFileSync(join(place.repository, 'plans/moved.gate.yaml'), text)
    git(place.repository, 'rm', '-q', '--', PLAN)

    expect((await call('PUT', path(), { text: planText(36), base, message: 'Longer' })).status).toBe(200)

    expect([onDisk(), changes(), filesNow()]).toEqual([planText(36), '', files])
  })
})
