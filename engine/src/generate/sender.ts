// A sender: starts its part of the arrivals when they are due, and records what comes back. Entry of a worker thread.
import { parentPort, workerData } from 'node:worker_threads'
import { allSteps, isOpenPhase, loadSeconds, ScheduleCursor } from '@jolt-gate/core'
import { pacedAlarm } from '../clock/alarm.js'
import { ClosedUsers, type NextIteration } from './closed-users.js'
import { monotonicMs } from '../clock/clock.js'
import { compilePlan } from '../compile/compiler.js'
import { GeneratorHealth } from './generator-health.js'
import { Mask } from '../secrets/mask.js'
import type { Iteration } from '../walk/iteration.js'
import { goBeforeOthers } from '../clock/priority.js'
import { RowTaker } from './rows.js'
import type { FromSender, SenderData, ToSender } from './sender-protocol.js'
import { prepareScripts } from '../walk/call/sandbox.js'
import { BucketRecorder } from './bucket-recorder.js'
import { Walker, type Beginning } from '../walk/walker.js'
import { warmUp } from './warm-up.js'

/** Users in flight beyond this are more than one thread can serve. */
const MOST_USERS = 200_000
/** Arrivals started in one turn, so that answers are read in between. */
const BATCH = 64
/** Where the shared counters stand. */
const USERS = 0

// eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the parent gives what SenderData says
const data: SenderData = workerData
const { plan, target, shape, run, index, senders, shared } = data
const parent = parentPort
if (parent === null) throw new Error('a sender runs in a worker thread')
const tell = (message: FromSender, transfer: ArrayBuffer[] = []): void => {
  parent.postMessage(message, transfer)
}

if (plan.journeys.some((journey) => [...allSteps(journey.steps)].some((step) => step.kind === 'call')))
  await prepareScripts()
const fileBytes = (path: string): Uint8Array => data.files.get(path) ?? new Uint8Array()
const compiled = compilePlan(plan, target, shape, { run, fileBytes })
const mask = new Mask()
for (const secret of [...Object.values(run.secrets), ...data.maskedValues]) mask.add(secret)
const health = new GeneratorHealth()
const faults = new Set<string>()
const hasClosed = plan.load.phases.some((phase) => !isOpenPhase(phase))
let isOver = false
goBeforeOthers()
await warmUp()
const alarm = await pacedAlarm(turn)
const startMs = await untilStarted()
const recorder = new BucketRecorder(
  shape,
  startMs,
  (bytes) => {
    tell({ kind: 'bucket', bytes }, [bytes.buffer])
  },
  noteLocalFault,
  onIterationEnded,
)
const walker = new Walker(
  {
    origin: target.origin,
    permitted: new Set([target.origin, ...target.also]),
    route: target,
    connections: plan.connections,
    seed: run.seed,
    mask,
  },
  recorder,
)
const cursor = new ScheduleCursor({ ...plan, seed: run.seed })
const closed = new ClosedUsers({ ...plan, seed: run.seed }, index, senders)
const rows = new RowTaker(plan.data, compiled.rowSlots, run.seed, shared.subarray(1), hasClosed)
/** The tracks that end by their iterations may end before their time. */
const endsByIterations = plan.load.phases.some((phase) => phase.kind === 'iterations')
let loadEndMs = startMs + loadSeconds(plan) * 1000
let drainEndMs = loadEndMs + plan.load.drainMs
let hasMore = advanceToOwn()
let nextSecondMs = startMs + 1000

walker.useAlarm(alarm)
parent.on('message', (message: ToSender) => {
  if (message.kind === 'stop') finish()
  if (message.kind === 'end load') endLoad(monotonicMs())
  if (message.kind === 'renewed') renew(message)
})
turn()

/** Tells the parent that all is compiled, and waits for the moment at which the load begins. */
function untilStarted(): Promise<number> {
  return new Promise((resolve) => {
    parent?.once('message', (message: ToSender) => {
      if (message.kind === 'start') resolve(message.startMs)
      else process.exit(0)
    })
    tell({ kind: 'ready' })
  })
}

/** One turn: everything that is due now, then the alarm for what is next. */
function turn(): void {
  if (isOver) return
  const now = monotonicMs()
  if (now >= nextSecondMs) closeSeconds(now)
  const isBehind = startArrivals(now) || startUsers(now)
  walker.runDue()
  if (endsByIterations && now < loadEndMs && !hasMore && closed.isDone && isLastToEnd(now)) endLoad(now)
  if (now >= drainEndMs || (!hasMore && closed.isDone && now >= loadEndMs && walker.iterations.size === 0)) {
    finish()
    return
  }
  if (isBehind) setImmediate(turn)
  else
    walker.arm(
      Math.min(
        hasMore ? startMs + cursor.dueMs : Infinity,
        startMs + closed.nextMs(),
        nextSecondMs,
        now < loadEndMs ? loadEndMs : drainEndMs,
      ),
    )
}

/** Whether every phase that is bounded by time alone is over. */
function isLastToEnd(now: number): boolean {
  const timed = plan.load.phases.filter((phase) => phase.kind !== 'iterations')
  return now >= startMs + 1000 * loadSeconds({ load: { ...plan.load, phases: timed } })
}

/** Starts the arrivals that are due; true when some are left for the next turn. */
function startArrivals(now: number): boolean {
  for (let started = 0; hasMore; hasMore = advanceToOwn()) {
    const dueMs = startMs + cursor.dueMs
    if (dueMs > now) return false
    if (now - dueMs > data.mostLateMs) {
      recorder.onMissed(cursor.phase)
      continue
    }
    if (started++ >= BATCH) return true
    const program = compiled.journeys[cursor.journey]
    if (program === undefined) continue
    begin({ program, user: cursor.user, phase: cursor.phase, frame: newFrame(), dueMs }, cursor.inTrack)
  }
  return false
}

/** Starts the users of the closed model whose time has come; true when some are left for the next turn. */
function startUsers(now: number): boolean {
  for (let started = 0; started < BATCH; started++) {
    const next = closed.take(now - startMs)
    if (next === undefined) return false
    beginUser(next)
  }
  return true
}

function beginUser(next: NextIteration): void {
  const program = compiled.journeys[next.journey]
  if (program === undefined) return
  const { user, iteration, phase, previous, index: slot } = next
  const frame = previous?.frame ?? newFrame()
  const outcome = begin(
    { program, user, iteration, phase, frame, dueMs: startMs + next.dueMs, slot, previous },
    next.turn,
  )
  if (outcome === 'capped') closed.capped(slot, next.dueMs)
  if (outcome === 'out of data') closed.ended(slot, undefined, Infinity)
}

/** Begins an iteration, unless the cap is reached or its data has run out. */
function begin(beginning: Beginning, turn: number): 'begun' | 'capped' | 'out of data' {
  const { program, phase } = beginning
  const cap = plan.load.phases[phase]?.cap ?? Infinity
  if (walker.iterations.size >= MOST_USERS) {
    noteLocalFault(`more than ${String(MOST_USERS)} users in flight in one sender`)
    recorder.onMissed(phase)
    return 'capped'
  }
  if (Atomics.add(shared, USERS, 1) >= cap) {
    Atomics.sub(shared, USERS, 1)
    recorder.onCapped(phase)
    return 'capped'
  }
  const taken = rows.take(program, beginning.frame, turn, beginning.user, beginning.iteration ?? 0)
  if (taken.kind === 'spent') {
    Atomics.sub(shared, USERS, 1)
    const { name, then } = taken.data
    const isClosed = (beginning.slot ?? -1) >= 0
    if (then !== 'stop') recorder.onOutOfData(phase)
    tell({ kind: 'data spent', name, then: then === 'stop' ? 'stop' : 'void', isClosed })
    return 'out of data'
  }
  recorder.onArrival(phase, program.journey)
  walker.begin(beginning)
  return 'begun'
}

function onIterationEnded(iteration: Iteration): void {
  Atomics.sub(shared, USERS, 1)
  if (iteration.slot < 0) return
  const now = monotonicMs()
  const next = closed.ended(iteration.slot, iteration, Math.min(now, iteration.lastEndMs) - startMs)
  // One turn later: a target that answers at once must not make the stack grow.
  if (next !== undefined)
    setImmediate(() => {
      if (!isOver) beginUser(next)
    })
  else if (closed.isDone && endsByIterations) {
    tell({ kind: 'iterations made', atMs: now - startMs })
    setImmediate(turn)
  }
}

function advanceToOwn(): boolean {
  while (cursor.advance()) {
    const program = compiled.journeys[cursor.journey]
    if (program !== undefined) rows.count(program)
    if (cursor.ordinal % senders === index) return true
  }
  return false
}

function newFrame(): SenderData['setupValues'] {
  const frame = data.setupValues.slice()
  frame.length = compiled.slotCount
  return frame
}

function renew({ values, masked }: Extract<ToSender, { kind: 'renewed' }>): void {
  for (const secret of masked) mask.add(secret)
  for (const [slot, value] of values) {
    data.setupValues[slot] = value
    for (const iteration of walker.iterations) iteration.frame[slot] = value
  }
}

function closeSeconds(now: number): void {
  recorder.close(now, health.read())
  nextSecondMs = startMs + 1000 * (Math.floor((now - startMs) / 1000) + 1)
}

function noteLocalFault(detail: string): void {
  if (faults.has(detail)) return
  faults.add(detail)
  tell({ kind: 'local fault', detail })
}

/** Nobody begins any more; those under way have the drain to finish. */
function endLoad(now: number): void {
  hasMore = false
  closed.end()
  loadEndMs = Math.min(loadEndMs, now)
  drainEndMs = loadEndMs + plan.load.drainMs
  setImmediate(turn)
}

function finish(): void {
  if (isOver) return
  isOver = true
  walker.cutOff()
  recorder.close(monotonicMs(), health.read())
  health.close()
  walker.close()
  tell({ kind: 'done' })
  parent?.close()
}
