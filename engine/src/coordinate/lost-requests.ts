// Whether every request that senders began was recorded, and arrived here.
import type { Recording } from '@jolt-gate/core'
import type { SenderCounts } from '../generate/sender-protocol.js'

/**
 * Every request that began must have ended and been recorded; a fault in words when one was lost. A sender that died
 * or was killed told no counts: then only what the others told is compared.
 */
export function lostRequests(
  { started, ended, recorded }: SenderCounts,
  { recording, afterStop }: Record<'recording' | 'afterStop', Recording>,
  wasKilled: boolean,
): string | undefined {
  if (started !== ended)
    return `requests were lost: ${String(started)} began, ${String(ended)} ended. This is a fault of ours; please report it`
  let counted = 0
  for (const cell of [...recording.steps.values(), ...afterStop.steps.values()]) counted += cell.requests
  if (wasKilled || recorded === counted) return undefined
  return `records were lost: senders recorded ${String(recorded)} requests, ${String(counted)} arrived. This is a fault of ours; please report it`
}
