// Requests that are ready to go out. Those of one turn go out together: a target that was woken by the first is still
// awake for the rest, and waking it is half of what a write costs.

/** Whoever has something to send. */
interface Sending {
  sendNow: () => void
}

/** More than these wait for nobody: the first of them would wait too long. */
const MOST = 64

const waiting: Sending[] = []

/** Sends by the end of this turn. */
export function sendSoon(one: Sending): void {
  waiting.push(one)
  if (waiting.length >= MOST) sendWaiting()
  else if (waiting.length === 1) setImmediate(sendWaiting)
}

/** Sends what is ready now. */
export function sendWaiting(): void {
  // What is sent may fail, and another be sent in its place.
  for (let count = waiting.length; count > 0; count = waiting.length) {
    const all = waiting.splice(0)
    for (const one of all) one.sendNow()
  }
}
