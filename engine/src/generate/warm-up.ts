// Before the load, a sender of the same plan sends to a server of our own in the same thread: the first requests of a
// process load the HTTP parser and run code that is not compiled yet, and would start tens of milliseconds late.
import { createServer, type Server } from 'node:net'
import { UNDIVIDED, isOpenPhase, loadSeconds, stepAround, stepsInside, type Plan, type Step } from '@jolt-gate/core'
import type { Alarm } from '../clock/alarm.js'
import { monotonicMs } from '../clock/clock.js'
import { straightTo } from '../walk/alone.js'
import { Sender } from './sender.js'
import type { SenderData } from './sender-protocol.js'

/** Of the length of the load; a short look at a page must not wait for longer than it looks. */
const SHARE_OF_LOAD = 0.15
const LEAST_SECONDS = 0.15
const MOST_SECONDS = 1.5
/** As many connections; no iteration begins while all are taken, so that no queue builds up. */
const USERS = 16
/** Arrivals per second: more than one thread can make. */
const RATE = 10_000
/**
 * V8 takes the fields of an object that is the only one of its kind for constants, and throws the code away that it
 * compiled with them as soon as there is another: the load must not be sent by the second sender of its thread.
 */
const ROUNDS = 2
const DRAIN_MS = 100
const BODY = JSON.stringify({ warm: ['up'] })
const ANSWER = `HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: ${String(BODY.length)}\r\n\r\n${BODY}`

/** An alarm that rings for one after another. */
export interface PacedAlarm {
  alarm: Alarm
  onRing: () => void
}

/** Warms all that a load of this plan needs of this thread; failing at it is no failure. */
export async function warmUp(data: SenderData, paced: PacedAlarm): Promise<void> {
  detachOnce()
  const server = createServer((socket) => {
    socket.on('data', () => socket.write(ANSWER))
    socket.on('error', () => undefined)
  })
  try {
    const target = { ...data.target, ...straightTo(await listen(server)) }
    const plan = warmPlan(data.plan)
    for (let round = 0; round < ROUNDS; round++) await sendOnce({ ...data, ...ALONE, target, plan }, paced)
  } catch {
    // A plan whose steps make no sense without those left out runs cold.
  } finally {
    server.close()
  }
}

/** The load of a sender whose buckets are thrown away. */
function sendOnce(data: SenderData, paced: PacedAlarm): Promise<void> {
  return new Promise((resolve) => {
    const sender: Sender = new Sender(
      data,
      ({ kind }) => {
        if (kind === 'done') resolve()
      },
      {
        set: (atMs) => {
          paced.alarm.set(atMs)
        },
        close: () => undefined,
      },
    )
    paced.onRing = () => {
      sender.turn()
    }
    sender.begin(monotonicMs())
  })
}

/**
 * The first buffer of a thread that is handed to another makes V8 throw away all compiled code that reads typed arrays,
 * Node's own included: it had counted on none being handed over. A sender hands one over each second; the first of them
 * goes before anything is compiled.
 */
function detachOnce(): void {
  const buffer = new ArrayBuffer(1)
  structuredClone(buffer, { transfer: [buffer] })
}

const ALONE = { index: 0, deal: UNDIVIDED, mostLateMs: 1000, tellsSamples: false, leasesRows: false }

/** The same journeys, without what waits and what reaches beyond HTTP, begun as the plan begins them. */
function warmPlan(plan: Plan): Plan {
  const [first] = plan.load.phases
  if (first === undefined) return plan
  const { name, at } = first
  const seconds = Math.min(MOST_SECONDS, Math.max(LEAST_SECONDS, SHARE_OF_LOAD * loadSeconds(plan))) / ROUNDS
  const phase = { name, at, seconds, measured: false, track: null, ladder: null, spacing: 'even', cap: USERS } as const
  return {
    ...plan,
    // As fast as it can: what is held back warms nothing.
    networks: undefined,
    journeys: plan.journeys.map((journey) => ({
      ...journey,
      pacingMs: 0,
      steps: journey.steps.flatMap(warmStep),
    })),
    data: plan.data.map((set) => ({ ...set, take: 'in turn' })),
    load: {
      ...plan.load,
      drainMs: DRAIN_MS,
      phases: [
        isOpenPhase(first)
          ? { ...phase, kind: 'constant', rate: RATE }
          : { ...phase, kind: 'users', from: USERS, to: USERS, spreadSeconds: 0 },
      ],
    },
  }
}

/** A warm-up sends requests, in whatever stands around them; it leaves out all else. */
function warmStep(step: Step): Step[] {
  if (step.kind === 'send') return [step]
  return stepsInside(step).length === 0 ? [] : [stepAround(step, (steps) => steps.flatMap(warmStep))]
}

function listen(server: Server): Promise<string> {
  return new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(0, '127.0.0.1', () => {
      const address = server.address()
      resolve(`http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`)
    })
  })
}
