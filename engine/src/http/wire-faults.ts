// What went wrong on the wire, in the words of the plan format.
import type { FailureKind } from '@jolt-gate/core'
import { NOT_HTTP } from './links/not-http.js'
import { NOT_PERMITTED } from '../network/reach.js'

export type WireFault =
  | { kind: 'failure'; failure: FailureKind; detail: string }
  /** Out of ports, files or memory: the generator's fault, not the target's. */
  | { kind: 'local'; detail: string }

const LOCAL = new Set(['EMFILE', 'ENFILE', 'EADDRNOTAVAIL', 'ENOBUFS', 'ENOMEM'])
const DNS = new Set(['ENOTFOUND', 'EAI_AGAIN', 'EAI_NODATA', 'EAI_FAIL'])

export function wireFaultOf(error: unknown): WireFault {
  const code = codeOf(error)
  const message = error instanceof Error ? error.message : String(error)
  if (LOCAL.has(code))
    return {
      kind: 'local',
      detail: `${code}: the generator ran out of ${code === 'ENOMEM' ? 'memory' : code === 'EADDRNOTAVAIL' ? 'ports' : 'files'}`,
    }
  if (code === 'ECONNREFUSED') return { kind: 'failure', failure: 'refused', detail: 'connection refused' }
  if (DNS.has(code)) return { kind: 'failure', failure: 'dns', detail: code }
  if (/^(ERR_TLS|ERR_SSL|CERT_|UNABLE_TO|DEPTH_ZERO|SELF_SIGNED|EPROTO)/.test(code))
    return { kind: 'failure', failure: 'tls', detail: code }
  if (code === 'ETIMEDOUT' || code === 'UND_ERR_CONNECT_TIMEOUT')
    return { kind: 'failure', failure: 'timeout', detail: 'connect' }
  if (code === NOT_HTTP) return { kind: 'failure', failure: 'protocol', detail: `not HTTP: ${message}` }
  if (code.startsWith('HPE_')) return { kind: 'failure', failure: 'protocol', detail: `not HTTP: ${code}` }
  if (code === 'UND_ERR_INVALID_ARG' || code === NOT_PERMITTED)
    return { kind: 'failure', failure: 'not permitted', detail: message }
  return {
    kind: 'failure',
    failure: 'reset',
    detail:
      code === 'ECONNRESET' || code === 'UND_ERR_SOCKET'
        ? 'connection closed before the response was complete'
        : `${code} ${message}`.trim(),
  }
}

function codeOf(error: unknown): string {
  if (typeof error !== 'object' || error === null || !('code' in error)) return ''
  return typeof error.code === 'string' ? error.code : ''
}
