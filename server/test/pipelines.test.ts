// Where changes stand at the stages of a pipeline, and whether they may go on: from runs that were really made.
import { existsSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import type { AdmissionAnswer, ChangeLine, PipelineSummary } from '@jolt-gate/core/api'
import { RunRow } from '../src/database/models.js'
import { callerOf, git, PIPELINE, PLAN, planText, signedIn, teamPlace, type Call } from './place.js'

const { place, administrator } = teamPlace()

const head = () => git(place.repository, 'rev-parse', 'HEAD')
function commit(file: string, text: string, message: string): string {
  writeFileSync(join(place.repository, file), text)
  git(place.repository, 'add', '-A')
  git(place.repository, 'commit', '-qm', message)
  return head()
}
async function ran(): Promise<string> {
  const { id } = (await administrator('POST', `${place.project}/runs`, { plan: PLAN })).body as { id: string }
  await expect.poll(async () => (await administrator('GET', `/runs/${id}`)).body).toMatchObject({ state: 'ended' })
  return id
}
const admission = async (at: string, more: Record<string, string> = {}, call: Call = administrator) => {
  const query = new URLSearchParams({ stage: 'production', commit: at, ...more }).toString()
  const { status, body } = await call('GET', `${place.project}/admission?${query}`)
  return { status, ...(body as AdmissionAnswer & { code: string; detail: string }) }
}
async function lines(query = ''): Promise<{ pipeline: PipelineSummary; changes: ChangeLine[] }> {
  const { body } = await administrator('GET', `${place.project}/pipeline?file=${PIPELINE}${query}`)
  return body as { pipeline: PipelineSummary; changes: ChangeLine[] }
}

describe('admission', () => {
  it('waits before a change was run, is given after an open run, and waits for the next change', async () => {
    const first = head()
    expect(await admission(first)).toMatchObject({
      answer: 'waiting',
      words: `staging: ${PLAN} was not run for this change`,
    })

    await ran()

    expect(await admission(first)).toMatchObject({ answer: 'admitted', words: 'staging: open, just now' })
    expect(await admission(first.slice(0, 8))).toMatchObject({ answer: 'admitted', commit: first })
    const second = commit('README.md', 'Booking', 'Say what this is')
    expect((await admission(second)).answer).toBe('waiting')
  })

  it('counts no run of a plan with changes that were not committed', async () => {
    const at = commit('README.md', 'Booking service', 'Say more')
    writeFileSync(join(place.repository, PLAN), planText(1))

    await ran()

    expect(await admission(at)).toMatchObject({ answer: 'refused' })
    expect((await admission(at)).words).toMatch(
      /^staging: .* was not run for this change; run \d+ does not count: its plan had changes that were not committed$/,
    )
    git(place.repository, 'checkout', '-q', '--', PLAN)
    await ran()
    expect((await admission(at)).answer).toBe('admitted')
  })

  it('is refused where the run is older than the stage asks, by the clock of this server', async () => {
    const at = head()
    const old = new Date(Date.now() - 25 * 3_600_000)
    await RunRow.update({ endedAt: old }, { where: { commit: at, dirty: false } })
    expect((await admission(at)).words).toBe('staging: open, but 25 h ago, and it must be within 24 h')

    // A command whose clock is ahead makes no run younger than what was heard of it.
    await RunRow.update(
      { endedAt: new Date(Date.now() + 9e9), heardAt: old, reported: 'x' },
      { where: { commit: at, dirty: false } },
    )
    expect((await admission(at)).answer).toBe('refused')
  })

  it('goes by when runs were made, and not by when they were uploaded', async () => {
    const at = commit('README.md', 'The booking service', 'Say it again')
    const [early, late] = [await ran(), await ran()]
    await RunRow.update({ verdict: 'shut' }, { where: { id: early } })
    expect((await admission(at)).answer).toBe('admitted')

    await RunRow.update({ startedAt: new Date(Date.now() - 3_600_000) }, { where: { id: late } })

    expect((await admission(at)).answer).toBe('refused')
  })

  it('is approved by an administrator alone, which the audit log, the page and the answer say', async () => {
    const at = commit('README.md', 'Booking service.', 'Add a stop')
    const member = { name: 'Tove Berth', email: 'tove@larkholm.example', password: 'ten letters and more' }
    await administrator('POST', '/people', { ...member, role: 'author' })
    const author = callerOf(place.server.origin, await signedIn(place.server.origin, '/session', member))
    const ask = { stage: 'production', commit: at, reason: 'repeated by hand, held' }
    const path = `${place.project}/stage-approvals`

    expect((await author('POST', path, ask)).status).toBe(403)
    expect((await administrator('POST', path, { ...ask, reason: ' ' })).status).toBe(400)
    expect((await administrator('POST', path, { ...ask, stage: 'staging' })).body).toMatchObject({
      code: 'NO_APPROVAL',
    })
    expect((await administrator('POST', path, ask)).body).toMatchObject({
      answer: 'admitted',
      words: 'approved by Ida Quay: "repeated by hand, held"',
      approval: { by: 'Ida Quay' },
    })

    expect((await admission(at, {}, author)).answer).toBe('admitted')
    const [line] = (await lines()).changes
    expect(line).toMatchObject({ commit: at, message: 'Add a stop' })
    expect(line?.stages[1]?.admission).toMatchObject({ answer: 'admitted', approval: { by: 'Ida Quay' } })
    const log = (await administrator('GET', '/audit-log')).body as { events: { event: string; detail: string }[] }
    expect(log.events[0]).toMatchObject({
      event: 'opened a stage',
      detail: expect.stringContaining('production for') as string,
    })
  })

  it('says what is wrong with the question', async () => {
    expect(await admission('xyz')).toMatchObject({ status: 400, code: 'BAD_FIELD' })
    expect(await admission(head(), { stage: 'prod' })).toMatchObject({
      status: 404,
      code: 'NO_STAGE',
      detail: `${PIPELINE} has no stage "prod". Its stages: staging, production`,
    })
    expect(await admission(head(), { pipeline: 'pipelines/none.pipeline.yaml' })).toMatchObject({ code: 'NO_PIPELINE' })
    expect(
      (await callerOf(place.server.origin)('GET', `${place.project}/admission?stage=a&commit=abcdef0`)).status,
    ).toBe(401)
  })
})

describe('a pipeline', () => {
  it('shows the last changes with their commits, and where each stands', async () => {
    const { pipeline, changes } = await lines()

    expect(pipeline.stages.map(({ name, begins }) => [name, begins])).toEqual([
      ['staging', ''],
      ['production', 'admission'],
    ])
    expect(changes.map(({ message }) => message)).toEqual(['Add a stop', 'Say it again', 'Say more', 'first'])
    expect(changes[3]).toMatchObject({ branch: 'main', who: 'T' })
    expect(changes[3]?.stages.map(({ at, admission: asked }) => [at.state, asked?.answer])).toEqual([
      ['open', undefined],
      ['not run', 'admitted'],
    ])
    expect((await lines('&branch=none')).changes).toEqual([])
  })

  it('takes what a run calls its change as a commit, and never as an option of Git', async () => {
    const written = join(place.folder, 'written')
    const row = await RunRow.findOne({ where: { planFile: PLAN }, rejectOnEmpty: true })
    const { commit: before } = row
    await row.update({ commit: `--output=${written}` })

    const { changes } = await lines()
    await row.update({ commit: before })

    expect(changes.map((line) => line.commit)).toContain(`--output=${written}`)
    expect(existsSync(written)).toBe(false)
  })

  it('lets nothing through while its file has errors, and as long as a change of it is not committed', async () => {
    const at = git(place.repository, 'rev-list', '--max-parents=0', 'HEAD')
    const text = git(place.repository, 'show', `HEAD:${PIPELINE}`)
    expect((await admission(at)).answer).toBe('admitted')

    writeFileSync(join(place.repository, PIPELINE), text.replace('    requires: [staging within 24h]\n', ''))
    expect((await admission(at)).required).toHaveLength(1)
    git(place.repository, 'checkout', '-q', '--', PIPELINE)
    commit(PIPELINE, text.replace('[staging within 24h]', '[stagin within 24h]'), 'Slip')

    expect(await admission(at)).toMatchObject({
      status: 422,
      detail: `${PIPELINE}:8:16: there is no stage "stagin" above this one. Did you mean "staging"?`,
    })
    expect((await lines()).pipeline.problems).toHaveLength(1)
  })
})
