// A generator as its coordinator sees it: a child process that makes one run.
import { endOf, startChild } from '../threads/child.js'
import type { FromGenerator, GeneratorOrder, ToGenerator } from './generator-protocol.js'

export interface Generator {
  /** Stops the load within a second; teardown is still done. */
  stop(by: string): void
  /** Resolves when the process is gone: how it died, or undefined when its work was done. */
  ended: Promise<string | undefined>
}

/**
 * Starts a generator with its order.
 *
 * @param order - the run that it is to make
 * @param onMessage - told of what it says, as it comes
 */
export function startGenerator(order: GeneratorOrder, onMessage: (message: FromGenerator) => void): Generator {
  const child = startChild('generator-process/generator-process')
  let isDone = false
  const send = (message: ToGenerator) => {
    // One that is gone hears nothing: that it is gone is told below.
    if (child.connected) child.send(message, () => undefined)
  }
  child.on('message', (message: FromGenerator) => {
    onMessage(message)
    if (message.kind !== 'done') return
    isDone = true
    send({ kind: 'heard' })
  })
  send(order)
  const ended = endOf(child).then((how) => (isDone ? undefined : how))
  return {
    ended,
    stop(by) {
      send({ kind: 'stop', by })
    },
  }
}
