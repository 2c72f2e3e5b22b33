// A whole run in simulated time: the sender, the walker, the recorder and the judge as they are, and a service that is
// told how to answer. The clock, connections, sockets and scripts are replaced by whoever imports this.
import {
  decodeBucket,
  distrust,
  formatMs,
  gatesOf,
  judge,
  previewOf,
  RunView,
  shapeOf,
  type Ending,
  type GeneratorFaults,
  type Judgement,
  type Plan,
  type Target,
  UNDIVIDED,
} from '@jolt-gate/core'
import type { Alarm } from '../../src/clock/alarm.js'
import { compilePlan } from '../../src/walk/compile-plan.js'
import { RowLeases } from '../../src/coordinate/row-leases.js'
import { phaseLengths } from '../../src/coordinate/phase-lengths.js'
import { Sender } from '../../src/generate/sender.js'
import type { FromSender } from '../../src/generate/sender-protocol.js'
import { Mask } from '../../src/secrets/mask.js'
import { walkOnce } from '../../src/walk/once.js'
import { present, World } from './world.js'

export interface Simulated {
  plan: Plan
  target: Target
  /** What each metric reads in a second; null where it cannot be read. */
  metricsAt?: (second: number) => (number | null)[]
  /** When the generator stands still, from the start of the load, and for how long. */
  stall?: { atMs: number; forMs: number }
  /** A sender that died, in words. */
  death?: string
}

export interface Outcome {
  judgement: Judgement
  view: RunView
}

/** Makes a run, and comes to its verdict. */
export function simulateRun({ plan, target, metricsAt, stall, death }: Simulated): Promise<Outcome> {
  const world = (present.world = new World())
  return world.live(async () => {
    const shape = shapeOf(plan, previewOf(plan).phases, target)
    const gates = gatesOf(plan)
    const view = new RunView({ gates, shape, satisfiedMs: plan.satisfiedMs })
    const run = { id: 'simulated', seed: plan.seed, startedAtMs: 0, secrets: {}, overrides: {} }
    const compiled = compilePlan(plan, target, shape, { run, fileBytes: () => new Uint8Array() })
    const faults: Required<GeneratorFaults> = {
      ...{ local: [], deaths: [], outOfData: [], endedByData: [], clockFaults: [], clockNotes: [] },
      ...(death === undefined ? {} : { deaths: [death] }),
    }
    let ending: Ending = { kind: 'finished' }
    const frame = new Array<undefined>(compiled.slotCount).fill(undefined)
    const setup = { done: false, failure: null as string | null, isTargets: false }
    if (compiled.setup.operations.length > 0) {
      void walkOnce(compiled.setup, {
        ...{ target, seed: plan.seed, mask: new Mask(), frame, withinMs: 60_000, endsOnFailure: true },
      }).then(({ failure, isTargets }) => Object.assign(setup, { done: true, failure, isTargets }))
      await world.until(() => setup.done)
    }
    let endedEarlyMs: number | undefined
    if (setup.failure !== null) ending = { kind: 'setup failed', reason: setup.failure, isTargets: setup.isTargets }
    else {
      let isDone = false
      let iterationsMadeMs = 0
      const startMs = world.nowMs + 10
      const post = (message: FromSender) => {
        if (message.kind === 'bucket') {
          const bucket = decodeBucket(message.bytes)
          view.add({ kind: 'bucket', bucket: { ...bucket, metrics: metricsAt?.(bucket.second) ?? bucket.metrics } })
        } else if (message.kind === 'local fault') {
          if (!faults.local.includes(message.detail)) faults.local.push(message.detail)
        } else if (message.kind === 'iterations made') iterationsMadeMs = Math.max(iterationsMadeMs, message.atMs)
        else if (message.kind === 'data spent' && message.then === 'stop') {
          endedEarlyMs ??= world.nowMs - startMs
          faults.endedByData.push(`the rows of "${message.name}" ran out after ${formatMs(endedEarlyMs)}`)
          sender.receive({ kind: 'end load' })
        } else if (message.kind === 'data spent' && message.isClosed)
          faults.outOfData.push(`the rows of "${message.name}" ran out`)
        else if (message.kind === 'rows wanted') leases.want(0, message.set)
        else if (message.kind === 'done') isDone = true
      }
      const leases = new RowLeases(plan, 1, (_, word) => {
        sender.receive(word)
      })
      const sender: Sender = new Sender(
        {
          ...{ plan, target, shape, run, index: 0, deal: UNDIVIDED, setupValues: frame, maskedValues: [] },
          ...{ mostLateMs: 1000, warmsUp: false, tellsSamples: false, files: new Map() },
          leasesRows: leases.areLeased,
        },
        post,
        alarmOf(world, () => {
          sender.turn()
        }),
      )
      if (stall !== undefined)
        world.after(10 + stall.atMs, () => {
          world.nowMs += stall.forMs
        })
      world.after(10, () => {
        sender.begin(startMs)
      })
      await world.until(() => isDone)
      view.add({ kind: 'phases', seconds: phaseLengths(view.shape, endedEarlyMs ?? Infinity, iterationsMadeMs) })
    }
    view.add({ kind: 'end' })
    const { recording } = view
    const doubts = distrust(recording, view.shape, gates, faults, endedEarlyMs !== undefined)
    const judgement = judge({
      ...{ ending, doubts, results: view.gates(), recording, shape: view.shape, strict: plan.strict },
      beside: { renewals: [], teardown: [], endedByData: faults.endedByData },
    })
    return { judgement, view }
  })
}

function alarmOf(world: World, ring: () => void): Alarm {
  let set: number | undefined
  return {
    set(atMs) {
      if (set !== undefined) world.cancel(set)
      set = atMs === Infinity ? undefined : world.after(atMs - world.nowMs, ringNow)
    },
    close() {
      if (set !== undefined) world.cancel(set)
    },
  }
  function ringNow(): void {
    set = undefined
    ring()
  }
}
