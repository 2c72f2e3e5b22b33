// Entry of a sender's thread: warms up, waits for the start, and lets a sender work.
import { parentPort, workerData } from 'node:worker_threads'
import { pacedAlarm } from '../clock/alarm.js'
import { goBeforeOthers } from '../clock/priority.js'
import { keepBeating } from '../threads/beat.js'
import { prepareScripts } from '../walk/steps/call/scripts.js'
import { Sender, type Post } from './sender.js'
import type { SenderData, ToSender } from './sender-protocol.js'
import { warmUp, type PacedAlarm } from './warm-up.js'

// eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the parent gives what SenderData says
const data: SenderData = workerData
const parent = parentPort
if (parent === null) throw new Error('a sender runs in a worker thread')
const post: Post = (message, transfer = []) => {
  parent.postMessage(message, transfer)
  if (message.kind === 'done') parent.close()
}

const steps = data.plan.journeys.flatMap((journey) => journey.steps)
prepareScripts(steps)
const paced: PacedAlarm = {
  alarm: await pacedAlarm(() => {
    paced.onRing()
  }),
  onRing: () => undefined,
}
if (data.warmsUp) {
  await warmUp(data, paced)
  // Warming up has used its own.
  prepareScripts(steps)
}
// Not before warming up: the threads that compile what is warm need their turn first.
goBeforeOthers()
const sender = new Sender(data, post, paced.alarm)
paced.onRing = () => {
  sender.turn()
}
parent.on('message', (message: ToSender) => {
  if (message.kind === 'start') sender.begin(message.startMs)
  else sender.receive(message)
})
if (data.beat !== undefined) keepBeating(data.beat)
post({ kind: 'ready' })
