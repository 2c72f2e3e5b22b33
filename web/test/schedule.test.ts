// A plan that is put on a schedule becomes a stage of a pipeline's file.
import { readPipeline } from '@jolt-gate/core'
import { describe, expect, it } from 'vitest'
import { cronOf, inZone, SCHEDULE, withSchedule, type NewSchedule } from '../src/pipelines/schedule-form.js'

const nightly: NewSchedule = {
  ...{ file: 'pipelines/night.pipeline.yaml', stage: 'nightly', often: 'weekdays', time: '02:30' },
  ...{ zone: 'Europe/Oslo', target: 'harbour', plan: 'plans/peak.gate.yaml' },
}
const FILES: Record<string, string> = {
  'plans/peak.gate.yaml':
    'jolt: 1\nname: A\ntarget: harbour\njourneys:\n  a:\n    steps:\n      - send: GET /\nload:\n  - { phase: p, rate: 1/s, for: 1s }\n',
  'targets/harbour.target.yaml': 'origin: http://127.0.0.1:1\n',
}
const readNow = (text: string) => readPipeline(nightly.file, text, (path) => FILES[path])

describe('a schedule', () => {
  it('is a stage of a new pipeline, or one more of a pipeline that is there', () => {
    const first = withSchedule(null, nightly)
    expect(readNow(first)).toMatchObject({
      problems: [],
      pipeline: {
        name: 'night',
        stages: [{ name: 'nightly', begins: { kind: 'schedule', cron: '30 2 * * Mon-Fri', zone: 'Europe/Oslo' } }],
      },
    })

    const second = withSchedule(`# ours\n${first}`, { ...nightly, stage: 'hourly', often: 'hour', target: '' })
    expect(second).toContain('# ours')
    expect(readNow(second).pipeline.stages.map(({ name }) => name)).toEqual(['nightly', 'hourly'])
    expect(() => withSchedule(second, nightly)).toThrow('has a stage "nightly" already')
  })

  // Five parts: minute, hour, day of the month, month, day of the week (POSIX.1-2017, crontab).
  it('is written as a line of cron', () => {
    expect(cronOf({ often: 'day', time: '00:05' })).toBe('5 0 * * *')
    expect(cronOf({ often: 'Sun', time: '23:45' })).toBe('45 23 * * Sun')
    expect(cronOf({ often: 'hour', time: '02:15' })).toBe('15 * * * *')
  })

  it('is told on the clock of its zone', () => {
    expect(inZone('2026-12-01T01:30:00Z', 'Europe/Oslo')).toMatch(/^Tue.* 1 Dec.*02:30$/)
  })

  it('has a name and a time of day', async () => {
    await expect(SCHEDULE.validate({ stage: ' ', time: '02:30' })).rejects.toThrow('name the stage')
    await expect(SCHEDULE.validate({ stage: 'n', time: '25:00' })).rejects.toThrow('a time such as 02:30')
  })
})
