// Places from which a load is made: read, judged by themselves, and kept in the bytes of a second.
import { describe, expect, it } from 'vitest'
import {
  decodeBucket,
  encodeBucket,
  gatesOf,
  OwnSeries,
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

const planOf = (places: string, gates: string, load = '  - { phase: p, rate: 100/s, for: 2s }') =>
  read(planText({ load, top: `places: ${places}\n`, gates }))
const problemOf = (places: string, gates = '  - failed requests at most 1 %') =>
  planOf(places, gates).problems.map(({ message }) => message)[0]

describe('places', () => {
  it('are read with their shares', () => {
    const { plan, problems } = planOf('{ north: 3, south: 1 }', '  - failed requests at most 1 %')

    expect(problems).toEqual([])
    expect(plan.places).toEqual([
      { name: 'north', weight: 3 },
      { name: 'south', weight: 1 },
    ])
    expect(shapeOf(plan, previewOf(plan).phases).places).toEqual(['north', 'south'])
  })

  it.each([
    ['{ "North Pier": 1 }', /no name of a place/],
    ['{ north: 0 }', /at least 1/],
    ['{ north: 0.5 }', /whole number/],
    ['{ north: 1001 }', /at most 1000/],
    ['{}', /name one or more/],
    ['north', /./],
  ])('%s is refused', (places, words) => {
    expect(problemOf(places)).toMatch(words)
  })
})

describe('gates of a place', () => {
  it.each([
    ['p95 response time from place "nroth" at most 1 s', /Did you mean "north"\?/],
    ['impact from place "north" at most strained', /remove "from place"/],
    ['p95 response time from place "north" at most 110 % of baseline', /a baseline is of all places/],
  ])('%s is refused', (gate, words) => {
    expect(problemOf('{ north: 3, south: 1 }', `  - ${gate}`)).toMatch(words)
  })

  it('cannot stop a run', () => {
    const gate = `  - rule: failed requests from place "north" at most 1 %\n    stop: after 3 breached seconds`
    expect(problemOf('{ north: 3, south: 1 }', gate)).toMatch(/a gate of one place cannot stop a run/)
  })

  it('judge what was made there, and stand for no default gate', () => {
    const gates = ['north', 'south'].map((place) => `  - failed requests from place "${place}" at most 5 %`).join('\n')
    const { plan, problems } = planOf('{ north: 3, south: 1 }', gates)
    expect(problems).toEqual([])
    const all = gatesOf(plan)
    expect(all.map(({ rule }) => rule).slice(2)).toContainEqual('failed requests at most 1 %')

    const view = new RunView({ gates: all, shape: shapeOf(plan, previewOf(plan).phases) })
    for (const second of [0, 1]) view.add({ kind: 'bucket', bucket: secondOf(second) })
    view.add({ kind: 'end' })

    // Of 75 requests a second none failed in the north, of 25 in the south ten.
    expect(view.gates().map(({ status, observed }) => [status, observed])).toMatchObject([
      ['held', 0],
      ['breached', 40],
      ['breached', 10],
      [expect.anything(), expect.anything()],
    ])
    expect(view.ofParts('places').map(({ name, requests, failed }) => [name, requests, failed])).toEqual([
      ['north', 150, 0],
      ['south', 50, 20],
    ])
    expect(view.ofParts('places', { fromSecond: 1, toSecond: 2 }).map(({ requests }) => requests)).toEqual([75, 25])
  })

  it('have lanes of their own', () => {
    const { plan } = planOf('{ north: 3, south: 1 }', '  - failed requests at most 1 %')
    const view = new RunView({ gates: gatesOf(plan), shape: shapeOf(plan, previewOf(plan).phases) })
    for (const second of [0, 1]) view.add({ kind: 'bucket', bucket: secondOf(second) })

    const ofPlaces = seriesIn(view.shape).filter(({ of }) => of === 'place')
    const south = ofPlaces.filter((series) => 'name' in series && series.name === 'south')
    expect(ofPlaces).toHaveLength(10)
    const [lane] = readLanes(south.slice(2).map(seriesText).join('+'))
    expect(lane).toMatchObject({ kind: 'own', series: south.slice(2) })
    const values = south.map((series) => new OwnSeries(view).valuesOf(series)[1])
    expect(values).toEqual([expect.closeTo(20, 0), expect.closeTo(20, 0), expect.closeTo(20, 0), 25, 10])
  })
})

describe('a second of several places', () => {
  it('comes back from its bytes, and none of a place has places', () => {
    const bucket = secondOf(3)
    const back = decodeBucket(encodeBucket(bucket))

    expect(back.places.map(({ place }) => place)).toEqual([0, 1])
    expect(back.places[1]?.bucket.steps[0]).toMatchObject({ requests: 25, failed: 10 })
    const deep = { ...bucket, places: [{ place: 0, bucket }] }
    expect(decodeBucket(encodeBucket(deep)).places[0]?.bucket.places).toEqual([])
  })
})

function secondOf(second: number): Bucket {
  const part = (requests: number, failed: number): Bucket =>
    bucketOf(second, { ms: new Array<number>(requests - failed).fill(20), failed })
  return {
    ...part(100, 10),
    places: [
      { place: 0, bucket: part(75, 0) },
      { place: 1, bucket: part(25, 10) },
    ],
  }
}
