// The whole measurement against queueing theory: Poisson arrivals at stations whose service times are exponential.
import { createServer } from 'node:http'
import { Draws } from '@jolt-gate/core'
import { describe, expect, it } from 'vitest'
import { runPlan, skipWhenBusy } from './run-plan.js'

/**
 * Erlang's B formula: the share of calls lost with c servers and a load of a erlang, by its recursion.
 * Source: A. K. Erlang, "Solution of some problems in the theory of probabilities of significance in automatic
 * telephone
 * exchanges", 1917.
 */
function erlangB(servers: number, load: number): number {
  let blocked = 1
  for (let n = 1; n <= servers; n++) blocked = (load * blocked) / (n + load * blocked)
  return blocked
}

/** Erlang's C formula: the share that waits. Source: as above; B / (1 − ρ (1 − B)). */
function erlangC(servers: number, load: number): number {
  const blocked = erlangB(servers, load)
  return blocked / (1 - (load / servers) * (1 - blocked))
}

/** Mean time in an M/M/c station in ms: waiting C / (cμ − λ), and service 1/μ. */
function meanTimeMs(servers: number, ratePerSecond: number, serviceMs: number): number {
  const capacity = 1000 / serviceMs
  const waitSeconds = erlangC(servers, ratePerSecond / capacity) / (servers * capacity - ratePerSecond)
  return 1000 * waitSeconds + serviceMs
}

describe('Erlang’s formulas', () => {
  // Published tables of the Erlang B formula: 10 trunks carry 4.46 erlang at 1 % blocking, 20 carry 12.03; 5 carry 2.22
  // at 5 %. Source: any traffic table, such as ITU-T Recommendation E.520; from memory.
  it.each([
    [10, 4.46, 0.01],
    [20, 12.03, 0.01],
    [5, 2.22, 0.05],
  ])('lose with %i servers at %d erlang a share of %d', (servers, load, share) => {
    expect(erlangB(servers, load)).toBeCloseTo(share, 3)
  })

  // With one server C is ρ, and the mean time is 1/(μ − λ). Source: L. Kleinrock, Queueing Systems, volume 1, 1975.
  it('are those of M/M/1 with one server', () => {
    expect(erlangC(1, 0.7)).toBeCloseTo(0.7, 12)
    expect(meanTimeMs(1, 70, 10)).toBeCloseTo(1000 / (100 - 70), 9)
  })
})

/**
 * A station with so many servers and exponential service times, in order of arrival. When each answer is due is
 * computed,
 * never taken from a timer, so that a late timer does not delay the next.
 */
async function startStation(servers: number, serviceMs: number, seed: number) {
  const draws = new Draws(seed).at(0, 0, 0)
  const freeAtMs = new Array<number>(servers).fill(0)
  const times: number[] = []
  const servedTimes: number[] = []
  const server = createServer((_, response) => {
    const arrivedMs = performance.now()
    const first = freeAtMs.indexOf(Math.min(...freeAtMs))
    const startMs = Math.max(arrivedMs, freeAtMs[first] ?? 0)
    const endMs = startMs + serviceMs * draws.nextExponential()
    freeAtMs[first] = endMs
    times.push(endMs - arrivedMs)
    const answer = () => {
      servedTimes.push(performance.now() - arrivedMs)
      response.end('{}')
    }
    setTimeout(answer, Math.max(0, endMs - performance.now()))
  })
  server.keepAliveTimeout = 60_000
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = server.address()
  const port = typeof address === 'object' && address !== null ? address.port : 0
  return {
    origin: `http://127.0.0.1:${String(port)}`,
    /** As the queue had it, and as the answers really left, which a late timer delays. */
    times,
    servedTimes,
    stop: () => {
      server.close()
      server.closeAllConnections()
    },
  }
}

/** The mean time of a long path of the same kind, worked out without a clock (D. V. Lindley's recursion, 1952). */
function longRunMs(servers: number, ratePerSecond: number, serviceMs: number, arrivals: number): number {
  const draws = new Draws(11).at(0, 0, 0)
  const freeAt = new Array<number>(servers).fill(0)
  let [now, total] = [0, 0]
  for (let arrival = 0; arrival < arrivals; arrival++) {
    now += (1000 / ratePerSecond) * draws.nextExponential()
    const first = freeAt.indexOf(Math.min(...freeAt))
    const end = Math.max(now, freeAt[first] ?? 0) + serviceMs * draws.nextExponential()
    freeAt[first] = end
    total += end - now
  }
  return total / arrivals
}

const meanOf = (times: readonly number[]) => times.reduce((sum, time) => sum + time, 0) / times.length
const medianOf = (times: readonly number[]) => times.toSorted((a, b) => a - b)[Math.ceil(times.length / 2) - 1] ?? NaN

describe.each([
  [1, 0.5],
  [1, 0.7],
  [1, 0.85],
  [3, 0.7],
])('%i servers at ρ = %d', (servers, utilization) => {
  const serviceMs = 4
  const rate = (utilization * servers * 1000) / serviceMs
  const expectedMs = meanTimeMs(servers, rate, serviceMs)

  it('have the mean time of theory over a long path of our draws', () => {
    expect(longRunMs(servers, rate, serviceMs, 1_000_000) / expectedMs).toBeCloseTo(1, 1)
  })

  it('are measured as they were: never faster than the station, its median kept, and its mean theory’s within chance', async (context) => {
    const station = await startStation(servers, serviceMs, 5)
    const plan = `seed: 3\njourneys:\n  a:\n    steps:\n      - send: GET /\nload:\n  - { phase: p, rate: ${String(rate)}/s, for: 10s, spacing: random }\ngates:\n  - median response time under 100 ms\n`
    const { result, judgement } = await runPlan(station.origin, plan)
    station.stop()
    const measured = result.steps[0]?.responseTime
    const trueMeanMs = meanOf(station.times)
    const servedMedianMs = medianOf(station.servedTimes)

    expect(measured?.count).toBe(station.times.length)
    expect(result.totals.arrivals).toBe(result.totals.arrivalsDue)
    expect((measured?.mean ?? 0) - meanOf(station.servedTimes)).toBeGreaterThan(-0.5)
    expect((measured?.percentiles['50'] ?? 0) - servedMedianMs).toBeGreaterThan(-0.5)
    // Over 10 s the mean of a queue strays from theory's: its correlation lasts for 1 / (μ (1 − √ρ)²).
    expect(trueMeanMs).toBeGreaterThan(0.55 * expectedMs)
    // A host that was busy with others makes the station and the way to it slower than theory knows, never quicker.
    skipWhenBusy(judgement, context)
    // The way there and back is in what is measured.
    expect((measured?.percentiles['50'] ?? 0) - servedMedianMs).toBeLessThan(0.35 * expectedMs + 4)
    expect(trueMeanMs).toBeLessThan(1.8 * expectedMs)
  })
})
