// A rehearsal: one user, one pass of each journey, and every request and response in full.
import { allSteps, asText, filesSentBy, previewOf, shapeOf, type Frame, type Plan, type Target } from '@jolt-gate/core'
import { timerAlarm } from './alarm.js'
import { monotonicMs } from './clock.js'
import { compilePlan } from './compiler.js'
import type { Exchange } from './exchange.js'
import { Mask, maskHeader } from './mask.js'
import type { Pass, Strand } from './pass.js'
import type { Operation, Program, RunValues, TimedOperation } from './program.js'
import { prepareScripts } from './steps/script.js'
import type { Ended } from './listener.js'
import { NOTHING, Walker } from './walker.js'

const MOST_TEXT = 200_000
const STAGE_WITHIN_MS = 300_000

export interface RehearsedRequest {
  method: string
  url: string
  headers: [string, string][]
  body: string | null
}
export interface RehearsedResponse {
  status: number
  headers: [string, string][]
  body: string
  size: number
}
/** Parts of the time of a request, in ms; null where a part did not happen, such as connecting again. */
export interface TimingParts {
  name: number | null
  connect: number | null
  tls: number | null
  firstByte: number | null
  receive: number | null
  total: number
}
export interface RehearsedStep {
  /** setup, the journey, or teardown. */
  stage: string
  step: string
  request: RehearsedRequest | null
  response: RehearsedResponse | null
  checks: { name: string; held: boolean; found: string[] }[]
  kept: { name: string; value: string }[]
  failure: { kind: string; detail: string } | null
  timing: TimingParts
}
export interface Rehearsal {
  plan: string
  target: string
  passed: boolean
  steps: RehearsedStep[]
  /** Time of each journey that was walked to its end. */
  journeys: { name: string; passed: boolean; timeMs: number }[]
}

export interface RehearseOptions {
  plan: Plan
  target: Target
  run: RunValues
  /** One journey alone. */
  journey?: string | undefined
  fileBytes?: (path: string) => Uint8Array | undefined
  /** Each step as it ends. */
  onStep?: (step: RehearsedStep) => void
}

/** Walks setup, each journey once, and teardown. Secrets are masked in all of it. */
export async function rehearse(options: RehearseOptions): Promise<Rehearsal> {
  const { plan, target, run, journey } = options
  const every = [plan.setup, ...plan.journeys.map(({ steps }) => steps), plan.teardown]
  if (every.some((steps) => [...allSteps(steps)].some((step) => step.kind === 'call'))) await prepareScripts()
  const files = new Map(filesSentBy(plan).map((path) => [path, options.fileBytes?.(path) ?? new Uint8Array()]))
  const compiled = compilePlan(plan, target, shapeOf(plan, previewOf(plan).phases), {
    run,
    fileBytes: (path) => files.get(path) ?? new Uint8Array(),
  })
  const mask = new Mask()
  for (const secret of Object.values(run.secrets)) mask.add(secret)
  const steps: RehearsedStep[] = []
  const journeys: Rehearsal['journeys'] = []
  const note = (stage: string) => (ended: Ended) => {
    const step = describe(stage, ended, mask)
    steps.push(step)
    options.onStep?.(step)
  }
  const frame: Frame = new Array<undefined>(compiled.slotCount).fill(undefined)
  for (const slot of compiled.rowSlots) frame[slot] = 0
  const walk = (program: Program, stage: string, from: Frame) =>
    walkStage({ program, stage, frame: from, target, seed: run.seed, mask, onEnded: note(stage) })
  const setup = await walk(compiled.setup, 'setup', frame)
  if (setup.passed) {
    for (const [index, program] of compiled.journeys.entries()) {
      const name = plan.journeys[index]?.name ?? ''
      if (journey !== undefined && journey !== name) continue
      const outcome = await walk(program, name, [...frame])
      journeys.push({ name, ...outcome })
    }
  }
  const teardown = await walk(compiled.teardown, 'teardown', frame)
  const passed = setup.passed && teardown.passed && journeys.every((one) => one.passed)
  return { plan: plan.name, target: target.origin, passed, steps, journeys }
}

interface Stage {
  program: Program
  stage: string
  frame: Frame
  target: Target
  seed: number
  mask: Mask
  onEnded: (ended: Ended) => void
}

function walkStage({
  program,
  frame,
  target,
  seed,
  mask,
  onEnded,
}: Stage): Promise<{ passed: boolean; timeMs: number }> {
  if (program.operations.length === 0) return Promise.resolve({ passed: true, timeMs: 0 })
  return new Promise((resolve) => {
    const options = {
      origin: target.origin,
      permitted: new Set([target.origin, ...target.also]),
      network: target,
      connections: 'shared' as const,
      seed,
      mask,
    }
    const walker: Walker = new Walker(options, {
      onStarted: () => undefined,
      onGroup: () => undefined,
      onLocalFault: () => undefined,
      onEnded,
      onStepFailed: (pass, operation, failure) => {
        onEnded(failedStep(pass, operation, failure))
      },
      onPassEnded: (pass, how) => {
        clearTimeout(limit)
        setImmediate(() => {
          walker.close()
          resolve({ passed: how === 'finished', timeMs: pass.lastEndMs - pass.arrivedMs })
        })
      },
    })
    const turn = () => {
      walker.runDue()
      walker.arm(Infinity)
    }
    walker.useAlarm(timerAlarm(turn))
    const limit = setTimeout(() => {
      walker.cutOff()
    }, STAGE_WITHIN_MS)
    // A response is shown in full, also where nothing else reads it.
    const whole = program.operations.map((operation): Operation =>
      operation.kind === 'send' ? { ...operation, needsBody: true } : operation,
    )
    walker.begin({ program: { ...program, operations: whole }, user: 0, phase: 0, frame, dueMs: monotonicMs() })
    turn()
  })
}

function failedStep(pass: Pass, operation: TimedOperation, failure: Ended['failure']): Ended {
  const now = monotonicMs()
  const sample = {
    dueMs: now,
    startedMs: now,
    endedMs: now,
    firstByteMs: 0,
    connectMs: -1,
    bytesSent: 0,
    bytesReceived: 0,
  }
  return { pass, operation, sample, exchange: null, received: null, failure, checks: [], excerpt: () => '' }
}

function describe(stage: string, ended: Ended, mask: Mask): RehearsedStep {
  const { operation, exchange, received, failure, pass } = ended
  const shown = (text: string) => mask.apply(text.slice(0, MOST_TEXT))
  return {
    stage,
    step: operation.name,
    request: exchange === null ? null : requestOf(exchange, mask),
    response:
      received === null || exchange === null
        ? null
        : {
            status: received.status,
            headers: headersOf(exchange.rawHeaders).map(([name, value]) => [name, maskHeader(name, mask.apply(value))]),
            body: shown(received.body),
            size: received.facts.size,
          },
    checks: operation.checks.map((check, index) => ({
      name: check.name,
      held: ended.checks[index] ?? false,
      found: check
        .find(received ?? NOTHING, pass.frame)
        .slice(0, 20)
        .map((node) => shown(asText(node)).slice(0, 500)),
    })),
    kept: operation.keeps.flatMap((keep) => {
      const value = pass.frame[keep.slot]
      return value === undefined ? [] : [{ name: keep.name, value: keep.secret ? '•••' : shown(asText(value)) }]
    }),
    failure: failure === null ? null : { kind: failure.kind, detail: mask.apply(failure.detail) },
    timing: timingOf(ended),
  }
}

function requestOf(exchange: Exchange<Strand>, mask: Mask): RehearsedRequest {
  const headers: [string, string][] = []
  for (let index = 0; index + 1 < exchange.headers.length; index += 2) {
    const [name = '', value = ''] = [exchange.headers[index], exchange.headers[index + 1]]
    headers.push([name, maskHeader(name, mask.apply(value))])
  }
  const { body } = exchange
  return {
    method: exchange.method,
    url: mask.apply(exchange.origin + exchange.path),
    headers,
    body:
      body === null
        ? null
        : typeof body === 'string'
          ? mask.apply(body.slice(0, MOST_TEXT))
          : `${String(body.length)} bytes`,
  }
}

function headersOf(raw: readonly Buffer[]): [string, string][] {
  const headers: [string, string][] = []
  for (let index = 0; index + 1 < raw.length; index += 2)
    headers.push([raw[index]?.toString('latin1').toLowerCase() ?? '', raw[index + 1]?.toString('latin1') ?? ''])
  return headers
}

function timingOf({ sample, exchange }: Ended): TimingParts {
  const moments = exchange?.linkUsed?.moments
  const isNew = moments !== undefined && moments.beganMs >= sample.dueMs && moments.endedMs > 0
  const part = (from: number, to: number) => (from > 0 && to >= from ? rounded(to - from) : null)
  const nameEnd = isNew && moments.nameFoundMs > 0 ? moments.nameFoundMs : (moments?.beganMs ?? 0)
  return {
    name: isNew ? part(moments.beganMs, moments.nameFoundMs) : null,
    connect: isNew ? part(nameEnd, moments.connectedMs) : null,
    tls: isNew && moments.endedMs - moments.connectedMs > 0.05 ? part(moments.connectedMs, moments.endedMs) : null,
    firstByte: part(isNew ? moments.endedMs : sample.startedMs, sample.firstByteMs),
    receive: part(sample.firstByteMs, sample.endedMs),
    total: rounded(sample.endedMs - sample.dueMs),
  }
}

const rounded = (ms: number): number => Math.round(ms * 1000) / 1000
