// A request and its answer as people look at them, secrets masked.
import {
  asText,
  TRACE_HEADER,
  type Frame,
  type Json,
  type Received,
  type RehearsedRequest,
  type RehearsedStep,
  type TimingParts,
} from '@jolt-gate/core'
import type { CompiledCheck } from '../compile/program.js'
import type { Exchange } from '../http/exchange.js'
import { maskHeader, type Mask } from '../secrets/mask.js'
import { NOTHING } from './assessor.js'
import type { Branch } from './iteration.js'
import type { Ended } from './listener.js'

/**
 * A request and its answer in full, secrets masked.
 *
 * @param stage - the journey, or what else it is a step of
 * @param mostText - of each body, in characters
 * @param own - further secrets, of the user whose request it is
 */
export function describe(
  stage: string,
  ended: Ended,
  mask: Mask,
  mostText: number,
  own: readonly string[] = [],
): RehearsedStep {
  const { operation, exchange, received, failure, iteration } = ended
  const masked = (text: string) => mask.apply(text, own)
  const shown = (text: string) => masked(text.slice(0, mostText))
  return {
    stage,
    step: operation.name,
    request: exchange === null ? null : requestOf(exchange, masked, shown),
    hops: (exchange?.hops ?? []).map(({ method, url, status }) => ({ method, url: masked(url), status })),
    response:
      received === null || exchange === null
        ? null
        : {
            status: received.status,
            headers: (exchange.answerHead?.fields() ?? []).map(([name, value]) => [
              name,
              maskHeader(name, masked(value)),
            ]),
            body: shown(received.body),
            size: received.facts.size,
          },
    checks: operation.checks.map((check, index) => ({
      name: check.name,
      held: ended.checks[index] ?? false,
      found: foundBy(check, received ?? NOTHING, iteration.frame)
        .slice(0, 20)
        .map((node) => shown(asText(node)).slice(0, 500)),
    })),
    kept: operation.keeps.flatMap((keep) => {
      const value = iteration.frame[keep.slot]
      return value === undefined ? [] : [{ name: keep.name, value: keep.secret ? '•••' : shown(asText(value)) }]
    }),
    failure: failure === null ? null : { kind: failure.kind, detail: masked(failure.detail) },
    trace: exchange === null || exchange.trace === '' ? null : exchange.trace,
    timing: timingOf(ended),
  }
}

/** What a check looked at; nothing where that cannot be evaluated, which its failure says. */
function foundBy({ find }: CompiledCheck, received: Received, frame: Frame): Json[] {
  try {
    return find(received, frame)
  } catch {
    return []
  }
}

function requestOf(
  exchange: Exchange<Branch>,
  masked: (text: string) => string,
  shown: (text: string) => string,
): RehearsedRequest {
  const headers: [string, string][] = []
  const { list } = exchange.fields
  for (let index = 0; index + 1 < list.length; index += 2) {
    const [name = '', value = ''] = [list[index], list[index + 1]]
    headers.push([name, maskHeader(name, masked(value))])
  }
  if (exchange.traceparent !== '') headers.push([TRACE_HEADER, exchange.traceparent])
  const { body } = exchange
  return {
    method: exchange.method,
    url: masked(exchange.origin + exchange.path),
    headers,
    body: body === null ? null : typeof body === 'string' ? shown(body) : `${String(body.length)} bytes`,
  }
}

/** Parts of the time of a request. */
export function timingOf({ sample, exchange }: Pick<Ended, 'sample' | 'exchange'>): TimingParts {
  const moments = exchange?.linkUsed?.moments
  const isNew = moments !== undefined && moments.beganMs >= sample.dueMs && moments.endedMs > 0
  const part = (from: number, to: number) => (from > 0 && to >= from ? rounded(to - from) : null)
  const dnsEnd = isNew && moments.resolvedMs > 0 ? moments.resolvedMs : (moments?.beganMs ?? 0)
  return {
    dns: isNew ? part(moments.beganMs, moments.resolvedMs) : null,
    connect: isNew ? part(dnsEnd, moments.connectedMs) : null,
    tls:
      isNew && exchange?.linkUsed?.origin.startsWith('https:') === true
        ? part(moments.connectedMs, moments.endedMs)
        : null,
    firstByte: part(isNew ? moments.endedMs : sample.startedMs, sample.firstByteMs),
    receive: part(sample.firstByteMs, sample.endedMs),
    total: rounded(sample.endedMs - sample.dueMs),
  }
}

const rounded = (ms: number): number => Math.round(ms * 1000) / 1000
