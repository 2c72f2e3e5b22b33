// What is measured, each on one core: node --import tsx bench/parts.ts PART ORIGIN [OPTION]; prints one line of JSON.
import { connect, type Socket } from 'node:net'
import { setTimeout as sleep } from 'node:timers/promises'
import {
  decodeBucket,
  Distribution,
  Draws,
  emptyBucket,
  emptyStep,
  encodeBucket,
  explain,
  judge,
  NO_DOUBTS,
  previewOf,
  readPlan,
  RunView,
  resultOf,
  shapeOf,
  tracesOf,
} from '@jolt-gate/core'
import { Pool } from 'undici'
import { startRun } from '@jolt-gate/engine'
import { pacedAlarm, timerAlarm } from '../engine/src/clock/alarm.js'
import { monotonicMs } from '../engine/src/clock/clock.js'
import { Mask } from '../engine/src/secrets/mask.js'
import { compilePlan } from '../engine/src/walk/compile-plan.js'
import { BucketRecorder } from '../engine/src/generate/bucket-recorder.js'
import { WayOut } from '../engine/src/network/way-out.js'
import { Walker } from '../engine/src/walk/walker.js'
import { costsOf } from './costs.js'

const USERS = 64
const WARM_MS = 1500
const MEASURE_MS = 4000
const PACE_MS = 5000
const RATE = 1000
const WAITING = 100_000

const [part = '', origin = '', option = ''] = process.argv.slice(2)
const parts: Record<string, () => Promise<Record<string, number>>> = {
  sockets,
  bare,
  full,
  costs,
  pace,
  lag,
  record,
  users,
  hour,
  threads,
}
const chosen = parts[part]
if (chosen === undefined) throw new Error(`no part ${part}`)
process.stdout.write(`${JSON.stringify(await chosen())}\n`)
process.exit(0)

/** Requests per second of bare sockets that write a fixed request and look for nothing but the end of its answer. */
async function sockets(): Promise<Record<string, number>> {
  const { hostname, port } = new URL(origin)
  const request = `GET /sailings?from=LARKHOLM HTTP/1.1\r\nhost: ${hostname}:${port}\r\nconnection: keep-alive\r\n\r\n`
  const buffer = Buffer.allocUnsafeSlow(65_536)
  let count = 0
  const open = Array.from({ length: USERS }, () => {
    const socket: Socket = connect({
      host: hostname,
      port: Number(port),
      noDelay: true,
      onread: {
        buffer,
        callback: () => {
          count++
          return socket.write(request, 'latin1')
        },
      },
    })
    socket.write(request, 'latin1')
    return socket
  })
  const rate = await rateOf(() => count)
  for (const socket of open) socket.destroy()
  return rate
}

/** Requests per second of a bare loop over undici's `request`, the body read as text; over HTTP/2 on one connection. */
async function bare(): Promise<Record<string, number>> {
  const isSecond = option === 'h2'
  const pool = new Pool(origin, {
    ...(isSecond ? { connections: 1, pipelining: USERS } : { connections: USERS, pipelining: 1 }),
    allowH2: isSecond,
    connect: { rejectUnauthorized: false },
  })
  let count = 0
  let isOver = false
  const loop = async () => {
    while (!isOver) {
      const { body } = await pool.request({ path: '/sailings?from=LARKHOLM', method: 'GET' })
      await body.text()
      count++
    }
  }
  const loops = Array.from({ length: USERS }, loop)
  const rate = await rateOf(() => count)
  isOver = true
  await Promise.all(loops)
  return rate
}

/** Requests per second of our whole path: template, status check, one JSON keep, recording. */
async function full(): Promise<Record<string, number>> {
  return fullPath((read) => rateOf(read))
}

/** What a request of the whole path costs, by part, in µs of the processor. */
async function costs(): Promise<Record<string, number>> {
  return fullPath(costsOf)
}

/** Keeps 64 users on the whole path while it is measured. */
async function fullPath(measured: (read: () => number) => Promise<Record<string, number>>) {
  const http = option === 'h2' ? '\n        http: 2' : ''
  const text = `jolt: 1\nname: b\ntarget: t\njourneys:\n  a:\n    steps:\n      - send: GET /sailings{?from}${http}\n        with: { from: LARKHOLM }\n        check: ["status is 200"]\n        keep: { id: "json $.sailings[0].id" }\nload:\n  - { phase: p, rate: 1/s, for: 1h }\n`
  let count = 0
  let failed = 0
  let user = 0
  let isOver = false
  const { walker, compiled } = walkerOf(text, (hasFailed) => {
    count++
    if (hasFailed) failed++
    if (!isOver) begin()
  })
  const begin = () => {
    const [program] = compiled.journeys
    if (program === undefined) return
    const frame = new Array<undefined>(compiled.slotCount)
    walker.begin({ program, user: user++, phase: 0, frame, dueMs: monotonicMs() })
  }
  for (let n = 0; n < USERS; n++) begin()
  const found = await measured(() => count)
  isOver = true
  await sleep(100)
  return { ...found, failed }
}

/** How much a count grows in a second, once all is warm. */
async function rateOf(read: () => number): Promise<Record<string, number>> {
  await sleep(WARM_MS)
  const [before, beganMs, cpu] = [read(), performance.now(), process.cpuUsage()]
  await sleep(MEASURE_MS)
  const count = read() - before
  const { user, system } = process.cpuUsage(cpu)
  return {
    perSecond: (1000 * count) / (performance.now() - beganMs),
    cpuUs: (user + system) / count,
    userUs: user / count,
  }
}

/** A walker that records as a sender does; `onEnded` is called after each iteration. */
function walkerOf(text: string, onEnded: (hasFailed: boolean) => void) {
  const targetText = `origin: ${origin}\ntls: { verify: no }\n`
  const { plan, target } = readPlan('b.gate.yaml', text, {
    files: (path) => (path.endsWith('t.target.yaml') ? targetText : undefined),
  })
  if (target === undefined) throw new Error('the plan of the bench is not right')
  const shape = shapeOf(plan, previewOf(plan).phases)
  const compiled = compilePlan(plan, target, shape, {
    run: { id: 'b', seed: 1, startedAtMs: Date.now(), secrets: {}, overrides: {} },
    fileBytes: () => new Uint8Array(),
  })
  const ignore = () => undefined
  const mask = new Mask()
  const recorder = new BucketRecorder(
    shape,
    mask,
    (bucket) => void encodeBucket(bucket),
    ignore,
    (iteration) => {
      onEnded(iteration.hasFailed)
    },
  )
  recorder.begin(monotonicMs())
  const walker = new Walker(
    {
      origin,
      out: new WayOut(target, new Set([origin])),
      connections: 'shared',
      seed: 1,
      mask,
      networks: null,
      traces: tracesOf('b', plan.trace),
    },
    recorder,
  )
  walker.useAlarm(timerAlarm(ignore))
  return { walker, compiled }
}

/** Processor time of the pacing alone: an alarm that rings a thousand times a second and does nothing else. */
async function pace(): Promise<Record<string, number>> {
  const lateness = new Distribution()
  let startMs = NaN
  let rings = 0
  let cores = NaN
  let before = process.cpuUsage()
  let done = (): void => undefined
  const over = new Promise<void>((resolve) => (done = resolve))
  const alarm = await pacedAlarm(() => {
    const now = monotonicMs()
    while (startMs + (1000 * rings) / RATE <= now) {
      lateness.record(1000 * (now - startMs - (1000 * rings) / RATE))
      rings++
    }
    if (now - startMs >= PACE_MS) {
      const { user, system } = process.cpuUsage(before)
      cores = (user + system) / 1000 / PACE_MS
      alarm.close()
      done()
    } else alarm.set(startMs + (1000 * rings) / RATE)
  })
  before = process.cpuUsage()
  startMs = monotonicMs() + 50
  alarm.set(startMs)
  // The alarm's thread does not keep the process alive by itself.
  const hold = setTimeout(done, PACE_MS * 2)
  await over
  clearTimeout(hold)
  return { cores, p50Ms: lateness.percentile(50) / 1000, p99Ms: lateness.percentile(99) / 1000 }
}

/** Start lag of a real run at a thousand arrivals a second. */
async function lag(): Promise<Record<string, number>> {
  const text = `jolt: 1\nname: b\ntarget: ${origin}\njourneys:\n  a:\n    steps:\n      - send: GET /sailings\nload:\n  - { phase: p, rate: ${RATE}/s, for: 10s }\n`
  const { plan, target } = readPlan('b.gate.yaml', text, { files: () => undefined })
  if (target === undefined) throw new Error('the plan of the bench is not right')
  const identity = {
    id: 'b',
    tool: 'b',
    plan: { name: 'b', file: 'b', commit: null, branch: null, dirty: false, seed: 1 },
  }
  const { result } = await startRun({ plan, target, identity, secrets: {}, senders: 1 }).done
  const { startLag, busy } = result.generator
  return { p50Ms: startLag.p50 ?? NaN, p99Ms: startLag.p99 ?? NaN, busy: busy.mean, arrivals: result.totals.arrivals }
}

/** Bytes of a user who waits, of a hundred thousand of them. */
async function users(): Promise<Record<string, number>> {
  const used = () => {
    globalThis.gc?.()
    const { heapUsed, external, arrayBuffers } = process.memoryUsage()
    return heapUsed + external + arrayBuffers
  }
  const text = `jolt: 1\nname: b\ntarget: ${origin}\nvalues: { n: { whole: 1 to 9 } }\njourneys:\n  a:\n    steps:\n      - wait: 1h\n      - send: GET /{n}/{user.number}\n        keep: { id: json $.id }\nload:\n  - { phase: p, rate: 1/s, for: 1h }\n`
  const { walker, compiled } = walkerOf(text, () => undefined)
  const [program] = compiled.journeys
  if (program === undefined) throw new Error('the plan of the bench is not right')
  const before = used()
  for (let user = 0; user < WAITING; user++) {
    const frame = new Array<undefined>(compiled.slotCount)
    walker.begin({ program, user, phase: 0, frame, dueMs: monotonicMs() })
  }
  const bytes = (used() - before) / WAITING
  const count = walker.iterations.size
  return Promise.resolve({ bytes, count })
}

/** An hour at a thousand requests a second over twenty steps: the time to sum it up, and the room that it takes. */
function hour(): Promise<Record<string, number>> {
  const steps = Array.from({ length: 20 }, (_, step) => `      - send: GET /${String(step)}\n`).join('')
  const text = `jolt: 1\nname: b\ntarget: ${origin}\njourneys:\n  a:\n    steps:\n${steps}load:\n  - { phase: p, rate: 50/s, for: 1h }\ngates:\n  - p95 response time under 300 ms\n  - failed requests at most 1 %\n`
  const { plan } = readPlan('b.gate.yaml', text, { files: () => undefined })
  const shape = shapeOf(plan, previewOf(plan).phases)
  const draws = new Draws(1).at(0, 0, 0)
  const encoded: Uint8Array[] = []
  for (let second = 0; second < 3600; second++) {
    const bucket = emptyBucket(second)
    for (let step = 0; step < 20; step++) {
      const [responseTime, timeToFirstByte] = [new Distribution(), new Distribution()]
      for (let request = 0; request < 50; request++) {
        const ms = 20 * Math.exp(0.5 * draws.nextNormal())
        responseTime.record(1000 * ms)
        timeToFirstByte.record(950 * ms)
      }
      bucket.steps.push({
        ...emptyStep(0, 0, step, 0),
        requests: 50,
        bytesReceived: 50_000,
        responseTime,
        timeToFirstByte,
      })
    }
    encoded.push(encodeBucket(bucket))
  }
  const megabytes = encoded.reduce((sum, bytes) => sum + bytes.length, 0) / 1e6
  const buckets = encoded.map((bytes) => decodeBucket(bytes))
  const view = new RunView({ gates: plan.gates, shape })
  for (const bucket of buckets) view.add({ kind: 'bucket', bucket })
  const beganMs = performance.now()
  const judgement = judge({
    ending: { kind: 'finished' },
    doubts: NO_DOUBTS,
    results: view.gates(),
    recording: view.recording,
    shape: view.shape,
  })
  const identity = {
    id: 'b',
    tool: 'b',
    target: { name: 'b', origin },
    startedAt: '',
    endedAt: '',
    plan: { name: 'b', file: 'b', commit: null, branch: null, dirty: false, seed: 1, scale: 1, load: '' },
  }
  const generator = { fleet: [], reasons: [], calibration: null }
  const explainedMs = performance.now()
  const explained = explain({ view, gates: plan.gates, reasons: [] })
  const explainSeconds = (performance.now() - explainedMs) / 1000
  const result = resultOf(
    identity,
    { judgement, explained, setup: [], teardown: [], renewals: [], generator, baseline: null },
    view,
  )
  const seconds = (performance.now() - beganMs) / 1000 - explainSeconds
  return Promise.resolve({ seconds, explainSeconds, megabytes, requests: result.totals.requests })
}

/** Requests per second of a whole run with so many sender threads, users who come again at once. */
async function threads(): Promise<Record<string, number>> {
  const senders = Number(option)
  const text = `jolt: 1\nname: b\ntarget: ${origin}\njourneys:\n  a:\n    steps:\n      - send: GET /sailings\nload:\n  - { phase: warm, users: 64, for: 2s, measure: no }\n  - { phase: p, users: 64, for: 5s }\n`
  const { plan, target } = readPlan('b.gate.yaml', text, { files: () => undefined })
  if (target === undefined) throw new Error('the plan of the bench is not right')
  const identity = {
    id: 'b',
    tool: 'b',
    plan: { name: 'b', file: 'b', commit: null, branch: null, dirty: false, seed: 1 },
  }
  const before = process.cpuUsage()
  const { result } = await startRun({ plan, target, identity, secrets: {}, senders }).done
  const { user, system } = process.cpuUsage(before)
  return { perSecond: result.totals.throughput, cpuUs: (user + system) / result.totals.requests }
}

/** Nanoseconds to record one value. */
function record(): Promise<Record<string, number>> {
  const values = Float64Array.from({ length: 1 << 16 }, (_, index) => 500 + ((index * 7919) % 250_000))
  const distribution = new Distribution()
  const rounds = 200
  for (const value of values) distribution.record(value)
  const beganMs = performance.now()
  for (let round = 0; round < rounds; round++) for (const value of values) distribution.record(value)
  return Promise.resolve({ nanoseconds: ((performance.now() - beganMs) * 1e6) / rounds / values.length })
}
