// What the cells of a pipeline say.
import type { AdmissionAnswer, ChangeLine, PipelineSummary, StageCell } from '@jolt-gate/core/api'
import { describe, expect, it } from 'vitest'
import { cellOf, commandsFor, stageNote, untilWords } from '../src/pipelines/pipeline-picture.js'

type Plan = StageCell['plans'][number]
const plan = (name: string, over: Partial<Plan> = {}): Plan => ({
  ...{ plan: `plans/${name}.gate.yaml`, name, target: 'harbour', state: 'open', ignored: [], changed: null },
  run: {
    id: `${name}1`,
    number: 1,
    commit: 'b21f9c0',
    planCommit: null,
    endedAt: '2026-06-01T08:00:00Z',
    reason: null,
  },
  ...over,
})
const stage = (over: Partial<StageCell>, words = ''): ChangeLine['stages'][number] => ({
  at: { stage: 'staging', state: 'open', seconds: 38, plans: [plan('smoke')], approval: null, ...over },
  admission: null,
  words,
})
const admission = (over: Partial<AdmissionAnswer>): ChangeLine['stages'][number] => {
  const required = [{ stage: stage({}).at, withinMs: null, isMet: true, words: 'staging: open' }]
  const answer = { pipeline: 'p', stage: 'production', commit: 'b', words: 'staging: open', approval: null, required }
  return { ...stage({ state: 'not run', plans: [] }), admission: { ...answer, answer: 'admitted', ...over } }
}

describe('a cell of a stage', () => {
  it('says the verdict with its time, and is the link to the one run', () => {
    expect(cellOf(stage({}))).toMatchObject({ sign: 'open', title: 'Open (passed)', note: '38 s', run: 'smoke1' })
  })

  it('says why it is shut, plan by plan', () => {
    const slow = plan('summer', {
      state: 'shut',
      run: { ...plan('summer').run, reason: 'p95 325 of 300 ms' } as Plan['run'],
    })
    const cell = cellOf(stage({ state: 'shut', plans: [plan('smoke'), slow] }))

    expect(cell).toMatchObject({ sign: 'shut', title: 'Shut (failed)', isBad: true, isStuck: true, run: null })
    expect(cell.plans.map(({ sign, words }) => [sign, words])).toEqual([
      ['open', ''],
      ['shut', 'p95 325 of 300 ms'],
    ])
  })

  it('says what it waits for, how many of its plans were open, and which run does not count', () => {
    const none = plan('summer', {
      state: 'not run',
      run: null,
      ignored: [{ id: 'x', number: 7, why: 'it ran at scale 2' }],
    })

    expect(cellOf(stage({ state: 'not run', plans: [none] }, 'waits for review')).note).toBe('waits for review')
    const partly = cellOf(stage({ state: 'not run', plans: [plan('smoke'), none] }))
    expect([partly.sign, partly.note]).toEqual([null, '1 of 2 plans open'])
    expect(partly.plans[1]?.words).toBe('run 7 does not count: it ran at scale 2')
  })

  it('is under way while a run of it is', () => {
    expect(cellOf(stage({ state: 'queued' }))).toMatchObject({ sign: 'going', title: 'Queued', isStuck: false })
  })
})

describe('a cell of an admission', () => {
  it('is admitted, refused with the reason, waiting where nothing was run, or approved', () => {
    const approval = { by: 'Ida Quay', reason: 'held by hand', at: '2026-06-01T08:00:00Z' }

    expect(cellOf(admission({}))).toMatchObject({ sign: 'open', title: 'Admitted' })
    expect(cellOf(admission({ answer: 'refused', words: 'staging: no' }))).toMatchObject({
      ...{ sign: 'shut', title: 'Refused', note: 'staging: no', isStuck: true },
    })
    expect(cellOf(admission({ answer: 'waiting' }))).toMatchObject({
      ...{ sign: null, title: 'Waiting', isStuck: false },
    })
    expect(cellOf(admission({ approval }))).toMatchObject({
      ...{ title: 'Approved', consent: 'Ida Quay: "held by hand"' },
    })
  })
})

describe('a pipeline', () => {
  const summary: PipelineSummary = {
    ...{ file: 'pipelines/a.pipeline.yaml', name: 'a', problems: [] },
    stages: [
      {
        ...{ name: 'staging', begins: 'push to main', isAdmission: false, after: 'review', requires: [] },
        ...{ plans: [{ file: 'plans/smoke.gate.yaml', name: 'Smoke', target: 'harbour' }], hasApproval: false },
      },
      {
        ...{ name: 'to production', begins: 'admission', isAdmission: true, after: null },
        ...{ requires: ['staging within 24 h'], plans: [], hasApproval: true },
      },
    ],
  }

  it('says what each stage asks', () => {
    expect(summary.stages.map(stageNote)).toEqual([
      'push to main · after review · harbour',
      'admission: staging within 24 h',
    ])
  })

  it('has the commands for a pipeline elsewhere, as a shell takes them', () => {
    expect(commandsFor(summary, 'http://127.0.0.1:7700', 1, 'b21f9c0', false)).toEqual([
      'jolt-gate run \\\n  plans/smoke.gate.yaml \\\n  --commit b21f9c0 \\\n  --to http://127.0.0.1:7700/p/1',
      "jolt-gate admit \\\n  --stage 'to production' \\\n  --pipeline pipelines/a.pipeline.yaml \\\n  --commit b21f9c0 \\\n  --to http://127.0.0.1:7700/p/1",
    ])
  })

  it('lets no name of a repository be more than a word of the command', () => {
    const [, second] = summary.stages
    const hostile = { ...summary, stages: second === undefined ? [] : [{ ...second, name: "x'; rm -rf ~ #" }] }

    expect(commandsFor(hostile, 'http://h', 1, 'b21f9c0', true)[0]).toContain("--stage 'x'\\''; rm -rf ~ #' ")
  })

  it('says when a schedule comes next', () => {
    const now = Date.parse('2026-06-01T08:00:00Z')

    expect(untilWords('2026-06-01T17:12:00Z', now)).toBe('next in 9 h 12 min')
    expect([untilWords('2026-06-01T08:00:10Z', now), untilWords(null, now)]).toEqual(['next in a moment', 'never'])
  })
})
