// What lies behind failures and slow requests, on data made to show it and on data made not to.
import { describe, expect, it } from 'vitest'
import { explain, type Finding, type FindingKind } from '../src/index.js'
import { HEALTHY, simulate, type SimulatedService } from './simulated.js'

const CONSTANT = '  - { phase: hold, rate: 60/s, for: 120s }'

function findings(load: string, service: SimulatedService, seed = 1): Finding[] {
  const { plan, view } = simulate(load, service, seed)
  return explain({ view, gates: plan.gates, reasons: [] }).findings
}
const ofKind = (kind: FindingKind, found: readonly Finding[]) => found.filter((finding) => finding.kind === kind)

/** A mixture of two log-normal laws, the second so many times the first. */
const mixed = (share: number, ratio: number, spread: number): SimulatedService => ({
  servers: 200,
  workMs: (_, draws) => {
    const normal = Math.sqrt(2 * draws.nextExponential()) * Math.cos(2 * Math.PI * draws.next())
    return (draws.next() < share ? 20 * ratio : 20) * Math.exp(spread * normal)
  },
})

describe('two groups of times', () => {
  it.each([
    ['80 : 20, four times apart', mixed(0.2, 4, 0.25)],
    ['60 : 40, three times apart', mixed(0.4, 3, 0.3)],
  ])('are found of %s', (_, service) => {
    const found = Array.from({ length: 10 }, (_, seed) =>
      ofKind('two groups of times', findings(CONSTANT, service, seed + 1)),
    )
    expect(found.filter((one) => one.length > 0).length).toBeGreaterThanOrEqual(9)
  })

  it.each<[string, SimulatedService]>([
    ['one wide law', mixed(0, 1, 1)],
    ['two laws that run into one another', mixed(0.5, 2, 0.5)],
    ['the waits of a queue with fixed service times', { servers: 1, workMs: () => 12 }],
  ])('are none in %s', (_, service) => {
    const found = Array.from({ length: 10 }, (_, seed) =>
      ofKind('two groups of times', findings(CONSTANT, service, seed + 1)),
    )
    expect(found.flat()).toEqual([])
  })

  it('are found with their shares and times', () => {
    const cached: SimulatedService = {
      ...HEALTHY,
      servers: 60,
      workMs: (_, draws) => (draws.next() < 0.7 ? 4 : 80) * Math.exp(0.2 * draws.nextNormal()),
    }
    const [found] = ofKind('two groups of times', findings(CONSTANT, cached))

    expect(found?.evidence['slowerShare']).toBeCloseTo(0.3, 1)
    expect(found?.evidence['fasterMs']).toBeLessThan(15)
    expect(found?.evidence['slowerMs']).toBeGreaterThan(60)
  })

  // A quarter of the requests is slow; what else is told of them is so or is not.
  const quarter: SimulatedService = {
    ...HEALTHY,
    servers: 60,
    workMs: (_, draws) => (draws.next() < 0.75 ? 4 : 80) * Math.exp(0.2 * draws.nextNormal()),
  }
  const plain = { status: 200, bytesReceived: 900, isConnected: false }
  it.each<[string, SimulatedService['traits'], string, string]>([
    ['status', (ms) => ({ ...plain, status: ms > 30 ? 202 : 200 }), 'status', 'have status 202'],
    ['connection', (ms) => ({ ...plain, isConnected: ms > 30 }), 'connection', 'opened a connection'],
    [
      'size',
      (ms, draws) => ({ ...plain, bytesReceived: (ms > 30 ? 9000 : 1000) + 500 * draws.next() }),
      'size',
      'have answers of more than',
    ],
  ])('are told apart by their %s', (_, traits, kind, words) => {
    const [found] = ofKind('two groups of times', findings(CONSTANT, { ...quarter, traits }))

    expect(found?.evidence['toldApartBy']).toBe(kind)
    expect(found?.text).toContain(`; the slower ones ${words}`)
  })

  it('are told apart by nothing where status, size and connection are as they come', () => {
    const told = Array.from({ length: 10 }, (_, seed) => {
      const traits: SimulatedService['traits'] = (_, draws) => ({
        status: draws.next() < 0.25 ? 304 : 200,
        bytesReceived: Math.round(9000 * draws.next()),
        isConnected: draws.next() < 0.25,
      })
      const [found] = ofKind('two groups of times', findings(CONSTANT, { ...quarter, traits }, seed + 1))
      return found === undefined ? 'not found' : found.evidence['toldApartBy']
    })

    expect(told).toEqual(told.map(() => undefined))
  })

  it('are none where one population is widely spread', () => {
    const wide: SimulatedService = { ...HEALTHY, servers: 60, workMs: (_, draws) => 20 * Math.exp(draws.nextNormal()) }

    expect(ofKind('two groups of times', findings(CONSTANT, wide))).toEqual([])
  })
})

describe('failures with rows of a data file', () => {
  const ROWS = 40

  /** A service that fails as often as told, with the rows that its users have. */
  function failing(share: number, rowOf: (random: () => number) => number): Finding | undefined {
    const service: SimulatedService = {
      ...HEALTHY,
      failure: (_at, _inFlight, draws) => (draws.next() < share ? '500' : undefined),
      rowOf: (draws) => rowOf(() => draws.next()),
      data: { name: 'travellers', rows: ROWS },
    }
    return ofKind('failures', findings(CONSTANT, service))[0]
  }

  it('are those of the one row that nine of ten of them have', () => {
    const found = failing(1 / ROWS, () => 16)

    expect(found?.evidence).toMatchObject({ data: 'travellers', rows: '17' })
    expect(found?.text).toContain('; 100 % of them with row 17 of "travellers"')
  })

  it('are those of two rows', () => {
    const found = failing(2 / ROWS, (random) => (random() < 0.5 ? 3 : 30))

    expect(found?.evidence).toMatchObject({ rows: '4, 31' })
  })

  it('are of no row where any row fails as often as another', () => {
    const found = failing(0.05, (random) => Math.floor(ROWS * random()))

    expect(found?.evidence).not.toHaveProperty('rows')
  })

  it('are of no row where one user fails again and again within a moment', () => {
    const service: SimulatedService = {
      ...HEALTHY,
      failure: (atMs) => (atMs > 60_000 && atMs < 61_000 ? '500' : undefined),
      rowOf: () => 16,
      data: { name: 'travellers', rows: ROWS },
    }

    expect(ofKind('failures', findings(CONSTANT, service))[0]?.evidence).not.toHaveProperty('rows')
  })
})
