// Pipeline files as they are read, schedules, and the answer to whether a change may go on.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  admissionOf,
  completionsAt,
  nextTime,
  readPipeline,
  stageAt,
  type Approval,
  type ChangeUnderTest,
  type Pipeline,
  type StageRun,
  type Verdict,
} from '../src/index.js'
import { planText, read } from './reading.js'

const FILE = 'pipelines/booking.pipeline.yaml'
const FILES = ['plans/smoke.gate.yaml', 'plans/summer.gate.yaml', 'plans/soak.gate.yaml', 'targets/harbour.target.yaml']
const BOOKING = `jolt: 1
pipeline: booking service
stages:
  - stage: review
    begins: push to any branch
    target: harbour
    plans: [plans/smoke.gate.yaml]
  - stage: staging
    after: review
    begins: push to main
    target: harbour
    plans: [plans/smoke.gate.yaml, plans/summer.gate.yaml]
    baseline: last open on main
  - stage: nightly
    begins: schedule "30 2 * * Mon-Fri" zone Europe/Oslo
    target: harbour
    plans: [plans/soak.gate.yaml]
  - stage: production
    begins: admission
    requires: [staging within 24h, nightly within 3d]
    approval: administrator
`
const TEXTS: Readonly<Record<string, string>> = Object.fromEntries(
  FILES.map((path) => [path, path.endsWith('.target.yaml') ? 'origin: http://127.0.0.1:7710' : planText({})]),
)
const reading = (text: string, files = TEXTS) => readPipeline(FILE, text, (path) => files[path])
const said = (text: string) =>
  reading(text).problems.map(({ line, column, message }) => `${String(line)}:${String(column)} ${message}`)

describe('a pipeline file', () => {
  it('is read with its stages', () => {
    const { pipeline, problems } = reading(BOOKING)

    expect(problems).toEqual([])
    expect(pipeline.name).toBe('booking service')
    expect(pipeline.stages.map(({ name, begins }) => [name, begins.kind])).toEqual([
      ['review', 'push'],
      ['staging', 'push'],
      ['nightly', 'schedule'],
      ['production', 'admission'],
    ])
    expect(pipeline.stages[1]).toMatchObject({ after: 'review', baselineBranch: 'main', hasApproval: false })
    expect(pipeline.stages[3]?.requires).toEqual([
      { stage: 'staging', withinMs: 24 * 3_600_000 },
      { stage: 'nightly', withinMs: 72 * 3_600_000 },
    ])
  })

  it.each([
    [
      'push to main',
      'pusch to main',
      '10:13 begins: expected "push to any branch", "push to", "schedule" or "admission", found "pusch to". Did you mean "push to"?',
    ],
    ['after: review', 'after: revew', '9:12 there is no stage "revew" above this one. Did you mean "review"?'],
    [
      '[staging within 24h',
      '[stagin within 24h',
      '20:16 there is no stage "stagin" above this one. Did you mean "staging"?',
    ],
    [
      'plans/summer',
      'plans/winter',
      '12:36 no file plans/winter.gate.yaml in the repository (one over 64 MB, or 16 MB on a server, is not read)',
    ],
    ['Europe/Oslo', 'Europe/Osla', '15:13 "Europe/Osla" is no time zone: use a name such as Europe/Oslo, or UTC'],
    ['30 2 * * Mon-Fri', '30 2 30 2 *', '15:13 "30 2 30 2 *" never comes'],
    [
      '30 2 * * Mon-Fri',
      '* 30 2 * * Mon',
      '15:13 "* 30 2 * * Mon" must have five parts: minute, hour, day, month, day of the week, such as "30 2 * * Mon-Fri"',
    ],
    [
      'approval: administrator',
      'approval: everybody',
      '21:15 approval must be "administrator" or "another administrator", found "everybody"',
    ],
    [
      '    requires: [staging within 24h, nightly within 3d]\n',
      '',
      '18:5 the stage "production" would admit every change: add requires: [staging within 24h]',
    ],
    ['stage: nightly', 'stage: review', '14:12 there is a stage "review" already'],
    [
      '    plans: [plans/soak.gate.yaml]\n',
      '',
      '14:5 the stage "nightly" runs nothing: add plans: [plans/smoke.gate.yaml], or begins: admission',
    ],
    ['approval:', 'aproval:', '21:5 the stage has no "aproval". Did you mean "approval"?'],
  ])('with "%s" as "%s" is told at its place', (right, wrong, words) => {
    expect(said(BOOKING.replace(right, wrong))).toContain(words)
  })

  it('tells the first error of a plan that it names, at the place of that plan', () => {
    const broken = { ...TEXTS, 'plans/soak.gate.yaml': 'jolt: 1\nname: Soak\n' }

    expect(reading(BOOKING, broken).problems.map(({ line, message }) => [line, message])).toEqual([
      [17, expect.stringMatching(/^plans\/soak\.gate\.yaml:1:1: the plan has no /)],
    ])
  })

  it('that is no pipeline is told, whatever it is, and never throws', () => {
    expect(said('')).toEqual(['1:1 the pipeline is empty: it needs jolt, pipeline and stages'])
    expect(said('a: [')[0]).toMatch(/^1:5 /)
    fc.assert(
      fc.property(fc.nat(BOOKING.length), fc.string({ maxLength: 12 }), (at, typed) => {
        reading(`${BOOKING.slice(0, at)}${typed}${BOOKING.slice(at + typed.length)}`)
      }),
    )
  })

  it('is completed: keys of a stage, what it begins with, plans of the repository', () => {
    const around = { plan: read(planText({})).plan, target: null, files: FILES }
    const at = (mark: string, written: string) => {
      const text = BOOKING.replace(mark, written)
      const offset = text.indexOf(written) + written.length
      return completionsAt(FILE, text, offset, around)?.options.map(({ label }) => label)
    }

    expect(at('    approval: administrator', '    app')).toContain('approval')
    expect(at('push to main', 'pu')).toContain('push to any branch')
    expect(at('[plans/soak.gate.yaml]', '[pl')).toContain('plans/soak.gate.yaml')
  })
})

describe('a schedule', () => {
  const oslo = { cron: '30 2 * * *', zone: 'Europe/Oslo' }
  const next = (after: string, schedule = oslo) => new Date(nextTime(schedule, Date.parse(after)) ?? NaN).toISOString()

  it('comes at its hour of the zone', () => {
    expect(next('2026-06-01T00:00:00Z')).toBe('2026-06-01T00:30:00.000Z')
    expect(next('2026-12-01T02:00:00Z')).toBe('2026-12-02T01:30:00.000Z')
  })

  // Europe/Oslo puts its clocks forward on 29 March 2026 from 02:00 to 03:00, and back on 25 October 2026 from 03:00 to
  // 02:00 (both at 01:00 UTC): IANA time zone database, rule EU.
  it('comes once on the day on which its hour does not exist, and once where it comes twice', () => {
    const from = (day: string) => {
      const times: string[] = []
      for (let at = Date.parse(`${day}T12:00:00Z`); times.length < 3;) {
        at = nextTime(oslo, at) ?? NaN
        times.push(new Date(at).toISOString())
      }
      return times
    }

    expect(from('2026-03-27')).toEqual([
      '2026-03-28T01:30:00.000Z',
      '2026-03-29T01:00:00.000Z',
      '2026-03-30T00:30:00.000Z',
    ])
    const autumn = from('2026-10-23')
    expect(autumn.map((time) => time.slice(0, 10))).toEqual(['2026-10-24', '2026-10-25', '2026-10-26'])
    expect(['2026-10-25T00:30:00.000Z', '2026-10-25T01:30:00.000Z']).toContain(autumn[1])
  })
})

const NOW = Date.parse('2026-06-02T12:00:00Z')
const HOUR = 3_600_000
const HEAD = 'b21f9c0'
const PARENT = '77ae401'
const change: ChangeUnderTest = { commit: HEAD, hasAncestor: (commit) => commit === PARENT }
let number = 0
function run(over: Partial<StageRun> = {}): StageRun {
  number++
  const askedAtMs = over.askedAtMs ?? (over.endedAtMs ?? NOW - HOUR) - 60_000
  return {
    ...{ id: `r${String(number)}`, number, planFile: 'plans/smoke.gate.yaml', targetName: 'harbour', commit: HEAD },
    ...{ branch: 'main', verdict: 'open', isWaiting: false, endedAtMs: NOW - HOUR, seconds: 30 },
    ...{ reasons: [], unfit: null, planCommit: null, isOfServer: true },
    ...over,
    askedAtMs,
  }
}
const summer = (over: Partial<StageRun> = {}) => run({ planFile: 'plans/summer.gate.yaml', ...over })
const soak = (over: Partial<StageRun> = {}) => run({ planFile: 'plans/soak.gate.yaml', ...over })
const { pipeline } = reading(BOOKING)
const stageOf = (name: string, of: Pipeline = pipeline) => {
  const found = of.stages.find((stage) => stage.name === name)
  if (found === undefined) throw new Error(name)
  return found
}
const ask = (runs: StageRun[], approvals: Approval[] = [], stage = 'production') =>
  admissionOf(pipeline, stageOf(stage), change, { runs, approvals, nowMs: NOW })

describe('admission', () => {
  it('is given where every plan of every required stage was open for the change, and recently', () => {
    const { answer, words } = ask([run(), summer(), soak({ endedAtMs: NOW - 26 * HOUR })])

    expect([answer, words]).toEqual(['admitted', 'staging: open, 1 h ago; nightly: open, 26 h ago'])
  })

  it('takes a run that a command reported only where the stage does not ask for the server alone', () => {
    const strict = reading(BOOKING.replace('    after: review\n', '    after: review\n    made by: server\n'))
    const asked = (runs: StageRun[]) =>
      admissionOf(strict.pipeline, stageOf('production', strict.pipeline), change, { runs, approvals: [], nowMs: NOW })

    expect(strict.problems).toEqual([])
    expect(ask([run({ isOfServer: false }), summer(), soak()]).answer).toBe('admitted')
    expect(asked([run({ isOfServer: false }), summer(), soak()])).toMatchObject({
      answer: 'refused',
      words: expect.stringContaining('a command reported it, and the stage takes runs of the server alone') as string,
    })
    expect(asked([run(), summer(), soak({ isOfServer: false })]).answer).toBe('admitted')
  })

  it('takes of a scheduled stage a run for an ancestor, and of no other', () => {
    expect(ask([run(), summer(), soak({ commit: PARENT })]).answer).toBe('admitted')
    expect(ask([run({ commit: PARENT }), summer(), soak()])).toMatchObject({
      answer: 'refused',
      words: 'staging: plans/smoke.gate.yaml was not run for this change',
    })
    expect(ask([run(), summer(), soak({ commit: '0000000' })]).answer).toBe('refused')
  })

  it.each<[string, Partial<StageRun>, string]>([
    [
      'shut',
      { verdict: 'shut', reasons: ['p95 response time of "search sailings" 325 ms, limit 300 ms'] },
      'staging: Shut (failed), 1 h ago, run N of plans/summer.gate.yaml: p95 response time of "search sailings" 325 ms, limit 300 ms',
    ],
    [
      'void',
      { verdict: 'void', reasons: ['undecided'] },
      'staging: Void (inconclusive), 1 h ago, run N of plans/summer.gate.yaml: undecided',
    ],
    [
      'running',
      { verdict: null, endedAtMs: null, askedAtMs: NOW - 5000 },
      'staging: run N of plans/summer.gate.yaml is running',
    ],
    ['too old', { endedAtMs: NOW - 25 * HOUR }, 'staging: open, but 25 h ago, and it must be within 24 h'],
    [
      'at another scale',
      { unfit: 'it ran at scale 0.5' },
      'staging: plans/summer.gate.yaml was not run for this change; run N does not count: it ran at scale 0.5',
    ],
    [
      'against another target',
      { targetName: 'preview' },
      'staging: plans/summer.gate.yaml was not run for this change; run N does not count: it ran against preview, not harbour',
    ],
  ])('is not given where a plan was %s, and says why', (what, over, words) => {
    const other = summer(over)

    const answer = ask([run(), other, soak()])

    expect(answer.answer).toBe(what === 'running' ? 'waiting' : 'refused')
    expect(answer.words).toBe(words.replace('N', String(other.number)))
  })

  it('goes by the latest run that counts: a later shut one shuts, a later one that does not count changes nothing', () => {
    const later = { askedAtMs: NOW - 60_000, endedAtMs: NOW - 30_000 }

    expect(ask([run(), summer(), summer({ ...later, verdict: 'shut' }), soak()]).answer).toBe('refused')
    expect(ask([run(), summer({ verdict: 'shut' }), summer(later), soak()]).answer).toBe('admitted')
    const { answer, required } = ask([run(), summer(), summer({ ...later, verdict: 'shut', unfit: 'x' }), soak()])
    expect(answer).toBe('admitted')
    expect(required[0]?.stage.plans[1]?.ignored).toMatchObject([{ why: 'x' }])
  })

  it('is opened by an administrator in writing where the stage takes that, for that change alone', () => {
    const approval = { stage: 'production', commit: HEAD, by: 'Ida Quay', reason: 'repeated by hand, held', atMs: NOW }

    expect(ask([], [approval])).toMatchObject({
      answer: 'admitted',
      words: 'approved by Ida Quay: "repeated by hand, held"',
    })
    expect(ask([], [{ ...approval, commit: PARENT }]).answer).toBe('waiting')
    expect(ask([], [{ ...approval, stage: 'staging' }]).answer).toBe('waiting')
    expect(ask([], [{ ...approval, stage: 'staging' }], 'staging').answer).not.toBe('admitted')
  })

  it('is never given where some plan has no open, fit and recent run for the change', () => {
    const runs = fc.array(
      fc.record({
        planFile: fc.constantFrom('plans/smoke.gate.yaml', 'plans/summer.gate.yaml', 'plans/soak.gate.yaml'),
        targetName: fc.constantFrom('harbour', 'harbour', 'preview'),
        commit: fc.constantFrom(HEAD, HEAD, PARENT, '0000000'),
        verdict: fc.constantFrom<Verdict | null>('open', 'open', 'open', 'shut', 'void', 'stopped', null),
        endedAtMs: fc.nat(100).map((hours) => NOW - hours * HOUR),
        unfit: fc.constantFrom(null, null, null, 'it ran at scale 2'),
      }),
      { maxLength: 12 },
    )
    fc.assert(
      fc.property(runs, (made) => {
        const all = made.map((one) => run({ ...one, endedAtMs: one.verdict === null ? null : one.endedAtMs }))
        if (ask(all).answer !== 'admitted') return
        const isOpen = (plan: string, commits: string[], hours: number) =>
          all.some(
            (one) =>
              one.planFile === plan &&
              commits.includes(one.commit) &&
              one.verdict === 'open' &&
              one.unfit === null &&
              one.targetName === 'harbour' &&
              (one.endedAtMs ?? 0) >= NOW - hours * HOUR,
          )
        expect(isOpen('plans/smoke.gate.yaml', [HEAD], 24)).toBe(true)
        expect(isOpen('plans/summer.gate.yaml', [HEAD], 24)).toBe(true)
        expect(isOpen('plans/soak.gate.yaml', [HEAD, PARENT], 72)).toBe(true)
      }),
      { numRuns: 2000 },
    )
  })
})

describe('a stage', () => {
  it('is as grave as the gravest of its plans', () => {
    const at = (...runs: StageRun[]) => stageAt(stageOf('staging'), change, runs, []).state

    expect(at()).toBe('not run')
    expect(at(run())).toBe('not run')
    expect(at(run(), summer())).toBe('open')
    expect(at(run({ verdict: null, isWaiting: true }), summer())).toBe('queued')
    expect(at(run({ verdict: 'void' }), summer({ verdict: 'shut' }))).toBe('shut')
  })
})
