// Entry of a generator: a process that makes one run and records what happens, in its journal first. When the process
// that asked for the run is gone, it stops the load, tears down and leaves the result in the journal.
import { decodeBucket, encodeBucket, type RunEvent } from '@jolt-gate/core'
import { closeRun, startRun } from '../coordinate/run.js'
import { Fleet } from '../fleet/fleet.js'
import { fleetGenerators } from '../fleet/fleet-generators.js'
import { readCoordinatorKey } from '../fleet/keys.js'
import type { BrokenRun, RunHandle, RunOptions } from '../coordinate/run-options.js'
import type {
  FromGenerator,
  GeneratorOrder,
  OrderValues,
  RunOrder,
  GeneratorEvent,
  ToGenerator,
} from './generator-protocol.js'
import { Journal, readJournal } from './journal.js'

let handle: RunHandle | undefined
let journal: Journal | undefined

/** Resolves when all that was told has come, or is to be found in the journal alone. */
const heard = new Promise<void>((resolve) => {
  process.on('message', (message: ToGenerator) => {
    if (message.kind === 'stop') handle?.stop(message.by)
    else if (message.kind === 'heard') resolve()
    else void work(message)
  })
  process.once('disconnect', () => {
    if (handle === undefined) process.exit(0)
    handle.stop('the server, which ended')
    resolve()
  })
})
// Ctrl-C reaches the whole group; the one who asked for the run stops it in order.
process.on('SIGINT', () => undefined)

async function work(message: GeneratorOrder): Promise<void> {
  const broken = message.kind === 'close' ? brokenRun(message) : undefined
  try {
    journal = new Journal(message.journal)
    if (broken === undefined) journal.begin(message.order)
  } catch (error) {
    giveUpJournal(error)
  }
  let fleet: Fleet | undefined
  const options = optionsOf(message.order, message)
  if (message.fleet !== undefined) {
    const { address, keyFile } = message.fleet
    options.generators = fleetGenerators(async () => {
      fleet = await Fleet.join(address, readCoordinatorKey(keyFile))
      return { fleet, present: await fleet.present(), version: message.order.identity.tool }
    })
  }
  handle = broken === undefined ? startRun(options) : closeRun(options, broken)
  const { judgement } = await handle.done
  await fleet?.close()
  record({ kind: 'done', judgement })
  journal?.close()
  // What is on its way would be lost with this process: a large result, or whatever a server that stands still has not
  // read yet.
  await heard
  process.exit(0)
}

function optionsOf(order: RunOrder, { secrets, files }: OrderValues): RunOptions {
  return {
    ...order,
    secrets,
    fileBytes: (path) => files.get(path),
    onState: (state) => {
      record({ kind: 'state', state })
    },
    onEvent: (event) => {
      if (event.kind === 'bucket')
        record({ kind: 'bucket', second: event.bucket.second, bytes: encodeBucket(event.bucket) })
      else if (event.kind !== 'end') record({ kind: 'event', event })
    },
    onSetup: (setup) => {
      send({ kind: 'setup', setup })
    },
    onLoadEnded: (end) => {
      record({ kind: 'load ended', end })
    },
    onResult: (result) => {
      // Only now is it known how long the phases were.
      if (handle !== undefined) record({ kind: 'result', result, shape: handle.view.shape })
    },
  }
}

/** What the journal knows of a run whose generator is gone. */
function brokenRun({ journal: path, reason, setup, tearsDown }: Extract<ToGenerator, { kind: 'close' }>): BrokenRun {
  const written = readJournal(path)?.events ?? []
  return {
    events: written.flatMap((one): RunEvent[] => {
      if (one.kind === 'bucket') return [{ kind: 'bucket', bucket: decodeBucket(one.bytes) }]
      return one.kind === 'event' ? [one.event] : []
    }),
    setup,
    loadEnd: written.findLast((one) => one.kind === 'load ended')?.end,
    reason,
    tearsDown,
  }
}

function record(event: GeneratorEvent): void {
  try {
    journal?.write(event)
  } catch (error) {
    giveUpJournal(error)
  }
  send(event)
}

function send(message: FromGenerator): void {
  if (process.connected) process.send?.(message)
}

/** A disk that is full loses the journal, not the run. */
function giveUpJournal(error: unknown): void {
  journal = undefined
  send({ kind: 'no journal', reason: error instanceof Error ? error.message : String(error) })
}
