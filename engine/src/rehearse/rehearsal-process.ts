// Entry of a rehearsal's process. When the one who asked is gone, it stops, tears down and ends.
import { rmSync, writeFileSync } from 'node:fs'
import type { FromRehearsalProcess, RehearsalOrder, ToRehearsalProcess } from './rehearsal-protocol.js'
import { rehearse } from './rehearse.js'

const stopping = new AbortController()
let isBegun = false

/** Resolves when all that was told has come, or nobody is there to hear it. */
const heard = new Promise<void>((resolve) => {
  process.on('message', (message: ToRehearsalProcess) => {
    if (message.kind === 'stop') stopping.abort()
    else if (message.kind === 'heard') resolve()
    else void work(message)
  })
  process.once('disconnect', () => {
    if (!isBegun) process.exit(0)
    stopping.abort()
    resolve()
  })
})
// Ctrl-C reaches the whole group; the one who asked stops it in order.
process.on('SIGINT', () => undefined)

async function work({ rehearsed: { files, ...rest }, journal }: RehearsalOrder): Promise<void> {
  isBegun = true
  try {
    writeFileSync(journal.path, JSON.stringify({ ...journal.note, pid: process.pid }), { mode: 0o600 })
  } catch {
    // A disk that is full loses the journal, not the rehearsal.
  }
  try {
    const rehearsal = await rehearse({
      ...rest,
      fileBytes: (path) => files.get(path),
      onStep: (step, memory) => {
        send({ kind: 'step', step, memory })
      },
      onKept: (values) => {
        send({ kind: 'kept', values })
      },
      signal: stopping.signal,
    })
    send({ kind: 'done', rehearsal })
  } catch (error) {
    send({ kind: 'fault', detail: error instanceof Error ? error.message : String(error) })
  }
  rmSync(journal.path, { force: true })
  await heard
  process.exit(0)
}

function send(message: FromRehearsalProcess): void {
  if (process.connected) process.send?.(message)
}
