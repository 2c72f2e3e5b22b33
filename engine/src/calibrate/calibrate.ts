// What this machine can send, how late, and how exactly it times: against an echo server on loopback, in another
// thread.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { homedir } from 'node:os'
import { dirname, join } from 'node:path'
import { Distribution, parseJson, readPlan, type Calibration, type RunResult } from '@jolt-gate/core'
import { startThread } from '../threads/thread.js'
import { startRun } from '../coordinate/run.js'
import { requestsInTurn } from '../compile/in-turn.js'
import { Mask } from '../secrets/mask.js'
import { straightTo, walkAlone } from '../walk/alone.js'

const DELAYS_MS = [1, 5, 20, 100]
const TIMED_REQUESTS = 60
const UNTIMED_REQUESTS = 10
const TIMED_WITHIN_MS = 60_000
const LAG_RATE = 1000

/**
 * Measures this machine; takes about ten seconds and loads nothing but loopback.
 *
 * @param onPart - told what is being measured
 */
export async function calibrate(onPart: (part: string) => void = () => undefined): Promise<Calibration> {
  const echo = startThread('calibrate/echo-thread')
  const port = await new Promise<number>((resolve, reject) => {
    echo.once('message', resolve)
    echo.once('error', reject)
  })
  const origin = `http://127.0.0.1:${String(port)}`
  try {
    onPart('requests a second')
    const closed = await runAgainst(origin, '{ phase: p, users: 32, for: 4s }')
    onPart(`start lag at ${String(LAG_RATE)} arrivals a second`)
    const open = await runAgainst(origin, `{ phase: p, rate: ${String(LAG_RATE)}/s, for: 4s }`)
    onPart('timing')
    const timing = []
    for (const delayMs of DELAYS_MS) timing.push(await timeDelay(origin, delayMs))
    const { startLag } = open.generator
    return {
      at: new Date().toISOString(),
      requestsPerSecond: Math.round(closed.totals.throughput),
      startLag: { p50: startLag.p50 ?? 0, p99: startLag.p99 ?? 0, max: startLag.max ?? 0 },
      timing,
    }
  } finally {
    await echo.terminate()
  }
}

async function runAgainst(origin: string, phase: string): Promise<RunResult> {
  const text = `jolt: 1\nname: Calibration\ntarget: ${origin}\njourneys:\n  echo:\n    steps:\n      - send: GET /\n        check: [status is 200]\nload:\n  - ${phase}\n`
  const { plan, target } = readPlan('calibration.gate.yaml', text, { files: () => undefined })
  if (target === undefined) throw new Error('the calibration has no target')
  const identity = {
    id: 'calibration',
    tool: '',
    plan: { name: plan.name, file: plan.file, commit: null, branch: null, dirty: false, seed: plan.seed },
  }
  return (await startRun({ plan, target, identity, secrets: {}, senders: 1 }).done).result
}

/** Measured less true response time: the server tells in a header how long it really took. */
async function timeDelay(origin: string, delayMs: number): Promise<Calibration['timing'][number]> {
  const errors = new Distribution()
  let answers = 0
  await walkAlone(requestsInTurn(`/?delay=${String(delayMs)}`, TIMED_REQUESTS), {
    target: straightTo(origin),
    seed: 1,
    mask: new Mask(),
    frame: [],
    withinMs: TIMED_WITHIN_MS,
    onEnded: ({ sample, received }) => {
      const keptMs = Number(received?.facts.header('x-kept-ms'))
      // The first requests connect and warm the path up.
      if (answers++ >= UNTIMED_REQUESTS && Number.isFinite(keptMs))
        errors.record(1000 * Math.abs(sample.endedMs - sample.dueMs - keptMs))
    },
  })
  return {
    delayMs,
    errorP50Ms: errors.percentile(50) / 1000,
    errorP99Ms: errors.percentile(99) / 1000,
  }
}

// ---------- the last calibration of this machine

function calibrationFile(environment: Readonly<Record<string, string | undefined>>): string {
  const cache = environment['XDG_CACHE_HOME'] ?? join(homedir(), '.cache')
  return join(cache, 'jolt-gate', 'calibration.json')
}

/**
 * Keeps a calibration of this machine for the runs to come, in the cache of the user (XDG Base Directory).
 *
 * @returns the path of its file
 */
export function keepCalibration(
  calibration: Calibration,
  environment: Readonly<Record<string, string | undefined>> = process.env,
): string {
  const file = calibrationFile(environment)
  mkdirSync(dirname(file), { recursive: true })
  writeFileSync(file, `${JSON.stringify(calibration, null, 2)}\n`)
  return file
}

/** The last calibration, or null when this machine has none that can be read. */
export function lastCalibration(
  environment: Readonly<Record<string, string | undefined>> = process.env,
): Calibration | null {
  try {
    const json: unknown = parseJson(readFileSync(calibrationFile(environment), 'utf8'))
    return isCalibration(json) ? json : null
  } catch {
    return null
  }
}

function isCalibration(json: unknown): json is Calibration {
  return (
    typeof json === 'object' &&
    json !== null &&
    'at' in json &&
    typeof json.at === 'string' &&
    'requestsPerSecond' in json &&
    typeof json.requestsPerSecond === 'number' &&
    'startLag' in json &&
    typeof json.startLag === 'object' &&
    'timing' in json &&
    Array.isArray(json.timing)
  )
}
