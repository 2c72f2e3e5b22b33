// What runs came to, told to a collector of the one who operates the server.
import type { Collector } from '@jolt-gate/engine'
import pLimit from 'p-limit'
import { log } from '../observability/log.js'
import { CHANGES } from '../events/changes.js'
import { partsOf } from '../database/run-summary.js'

/** Sends each result as its run ends; gives what ends that, once what is under way was sent. */
export function keepTelling(collector: Collector): () => Promise<void> {
  const inTurn = pLimit(1)
  const onEnd = (id: string): void => {
    void inTurn(async () => {
      const { result } = await partsOf(id)
      // One that was stopped before it began has none.
      const fault = result === null ? undefined : await collector.send(result)
      if (fault !== undefined) log.warn({ run: id, fault }, 'the result could not be sent to the collector')
    }).catch((error: unknown) => {
      log.error({ err: error, run: id }, 'the result could not be sent to the collector')
    })
  }
  CHANGES.on('ended', onEnd)
  return async () => {
    CHANGES.off('ended', onEnd)
    await inTurn(() => Promise.resolve())
  }
}
