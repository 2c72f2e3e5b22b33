// Networks that users come over: read, judged by themselves, and kept in the bytes of a second.
import { describe, expect, it } from 'vitest'
import {
  decodeBucket,
  encodeBucket,
  explain,
  gatesOf,
  loadFingerprint,
  OwnSeries,
  planChanges,
  previewOf,
  readLanes,
  RunView,
  seriesIn,
  seriesText,
  shapeOf,
  type Bucket,
} from '../src/index.js'
import { bucketOf } from './buckets.js'
import { planText, read } from './reading.js'

const FAILED = '  - failed requests at most 1 %'
const CELL = '{ network: harbour cell, weight: 3, delay: 75ms, jitter: 10ms, down: 1.6 Mbit/s, up: 750 kbit/s }'
const TWO = `${CELL}\n  - { network: office }`
const planOf = (networks: string, gates = FAILED, top = '', seconds = 2) =>
  read(
    planText({
      load: `  - { phase: p, rate: 100/s, for: ${String(seconds)}s }`,
      top: `networks:\n  - ${networks}\n${top}`,
      gates,
    }),
  )

describe('networks', () => {
  it('are read with their shares, delays and rates; each user has connections of their own', () => {
    const { plan, problems } = planOf(TWO)

    expect(problems).toEqual([])
    expect(plan.networks).toEqual([
      { name: 'harbour cell', weight: 3, delayMs: 75, jitterMs: 10, downBits: 1.6e6, upBits: 750e3 },
      { name: 'office', weight: 1, delayMs: 0, jitterMs: 0, downBits: undefined, upBits: undefined },
    ])
    expect(plan.connections).toBe('per user')
    expect(shapeOf(plan, previewOf(plan).phases).networks).toEqual(['harbour cell', 'office'])
  })

  it.each([
    ['{ delay: 75ms }', '', /a network needs a name/],
    ['{ network: cell, delay: 75 }', '', /a bare number has no unit/i],
    ['{ network: cell, delay: 11s }', '', /delay is at most 10s/],
    ['{ network: cell, delay: 10ms, jitter: 11ms }', '', /jitter is at most the delay/],
    ['{ network: cell, down: 1.6 MB/s }', '', /bits a second such as 750 kbit\/s/],
    ['{ network: cell, down: 900 bit/s }', '', /between 1 kbit\/s and 10 Gbit\/s/],
    ['{ network: cell, up: 11 Gbit/s }', '', /between 1 kbit\/s and 10 Gbit\/s/],
    ['{ network: cell, weight: 0 }', '', /at least 1/],
    ['{ network: cell, weight: 1001 }', '', /at most 1000/],
    ['{ network: cell, loss: 1 % }', '', /network has no "loss"/],
    ['{ network: cell }\n  - { network: cell }', '', /there is a network "cell" already/],
    ['{ network: cell }', 'connections: shared\n', /remove "connections: shared"/],
  ])('%s is refused', (networks, top, words) => {
    expect(planOf(networks, FAILED, top).problems.map(({ message }) => message)[0]).toMatch(words)
  })

  it('make another load of it: no baseline, and a change that is told', () => {
    const [before, after] = [planOf(TWO).plan, planOf(TWO.replace('75ms', '80ms')).plan]
    expect(loadFingerprint(after)).not.toBe(loadFingerprint(before))
    expect(loadFingerprint({ ...before, networks: undefined })).not.toBe(loadFingerprint(before))
    expect(planChanges(before, after).map(({ words }) => words)[0]).toMatch(/^networks harbour cell 3 75 ms .* to /)
  })
})

describe('gates of a network', () => {
  it.each([
    ['p95 response time on network "harbor cell" at most 1 s', /Did you mean "harbour cell"\?/],
    ['impact on network "office" at most strained', /remove "on network"/],
    ['p95 response time on network "office" at most 110 % of baseline', /a baseline is of all networks/],
    ['p95 response time from place "north" on network "office" at most 1 s', /one place or of one network/],
  ])('%s is refused', (gate, words) => {
    const { problems } = planOf(TWO, `  - ${gate}`, 'places: { north: 1 }\n')
    expect(problems.map(({ message }) => message)[0]).toMatch(words)
  })

  it('cannot stop a run', () => {
    const gate = '  - rule: failed requests on network "office" at most 1 %\n    stop: after 3 breached seconds'
    expect(planOf(TWO, gate).problems[0]?.message).toMatch(/a gate of one network cannot stop a run/)
  })

  it('judge what came over it, and stand for no default gate', () => {
    const gates = ['harbour cell', 'office'].map((one) => `  - failed requests on network "${one}" at most 5 %`)
    const { plan, problems } = planOf(TWO, gates.join('\n'))
    expect(problems).toEqual([])
    const all = gatesOf(plan)
    expect(all.map(({ rule }) => rule).slice(2)).toContainEqual('failed requests at most 1 %')

    const view = new RunView({ gates: all, shape: shapeOf(plan, previewOf(plan).phases) })
    for (const second of [0, 1]) view.add({ kind: 'bucket', bucket: secondOf(second) })
    view.add({ kind: 'end' })

    expect(view.gates().map(({ status, observed }) => [status, observed])).toMatchObject([
      ['held', 0],
      ['breached', 40],
      ['breached', 10],
      [expect.anything(), expect.anything()],
    ])
    expect(view.ofParts('networks').map(({ name, requests, failed }) => [name, requests, failed])).toEqual([
      ['harbour cell', 150, 0],
      ['office', 50, 20],
    ])
    expect(view.ofParts('networks', { fromSecond: 1, toSecond: 2 }).map(({ requests }) => requests)).toEqual([75, 25])
  })

  it('leave open what a lost generator had under way: of each network it may have been all', () => {
    const { plan } = planOf(TWO, '  - failed requests on network "harbour cell" at most 5 %')
    const view = new RunView({ gates: gatesOf(plan), shape: shapeOf(plan, previewOf(plan).phases) })
    const loss = { generator: 'north/lk1', why: 'it was killed', place: null, atMs: 1000, arrivals: [5], left: [195] }
    view.add({ kind: 'bucket', bucket: secondOf(0) })
    view.add({ kind: 'loss', loss: { ...loss, requests: 20, journeys: 5 } })
    view.add({ kind: 'bucket', bucket: secondOf(1) })
    view.add({ kind: 'end' })
    expect(view.gates()[0]).toMatchObject({ status: 'undecided', observed: 0 })
  })

  it('have lanes of their own', () => {
    const { plan } = planOf(TWO)
    const view = new RunView({ gates: gatesOf(plan), shape: shapeOf(plan, previewOf(plan).phases) })
    for (const second of [0, 1]) view.add({ kind: 'bucket', bucket: secondOf(second) })

    const office = seriesIn(view.shape).filter((one) => one.of === 'network' && one.name === 'office')
    const [lane] = readLanes(office.slice(2).map(seriesText).join('+'))
    expect(lane).toMatchObject({ kind: 'own', series: office.slice(2) })
    const values = office.map((series) => new OwnSeries(view).valuesOf(series)[1])
    expect(values).toEqual([expect.closeTo(20, 0), expect.closeTo(20, 0), expect.closeTo(20, 0), 25, 10])
  })
})

it('a network over which more fails in the same seconds is named; one that is slower, as it is meant to be, is not', () => {
  const { plan } = planOf(TWO, FAILED, '', 60)
  const found = (second: (number: number) => Bucket) => {
    const view = new RunView({ gates: gatesOf(plan), shape: shapeOf(plan, previewOf(plan).phases) })
    for (let number = 0; number < 60; number++) view.add({ kind: 'bucket', bucket: second(number) })
    view.add({ kind: 'end' })
    return explain({ view, gates: plan.gates, reasons: [] }).findings.filter(({ kind }) => kind === 'one network')
  }
  const [more, ...others] = found(secondOf)
  expect(others).toEqual([])
  expect(more?.evidence).toMatchObject({ network: 'office', failedShareThere: 0.4 })
  expect(more?.text).toMatch(/^Over "office" 40 %/)
  const slower = (second: number): Bucket => {
    const [near, far] = [bucketOf(second, { ms: ms(25, 20) }), bucketOf(second, { ms: ms(75, 900) })]
    return {
      ...bucketOf(second, { ms: [...ms(25, 20), ...ms(75, 900)] }),
      networks: [
        { network: 0, bucket: far },
        { network: 1, bucket: near },
      ],
    }
  }
  expect(found(slower)).toEqual([])
})

it('a second of several networks comes back from its bytes, and none of a network has networks', () => {
  const bucket = secondOf(3)
  const back = decodeBucket(encodeBucket(bucket))
  expect(back.networks.map(({ network }) => network)).toEqual([0, 1])
  expect(back.networks[1]?.bucket.steps[0]).toMatchObject({ requests: 25, failed: 10 })
  const deep = { ...bucket, networks: [{ network: 0, bucket }] }
  expect(decodeBucket(encodeBucket(deep)).networks[0]?.bucket.networks).toEqual([])
})

function ms(count: number, each: number): number[] {
  return new Array<number>(count).fill(each)
}

function secondOf(second: number): Bucket {
  const part = (requests: number, failed: number): Bucket => bucketOf(second, { ms: ms(requests - failed, 20), failed })
  return {
    ...part(100, 10),
    networks: [
      { network: 0, bucket: part(75, 0) },
      { network: 1, bucket: part(25, 10) },
    ],
  }
}
