// A collector that takes results and series over OTLP/HTTP.
import { otlpOf, parseJson, type OtlpMetrics, type RunResult } from '@jolt-gate/core'
import pRetry, { AbortError } from 'p-retry'
import { request } from 'undici'
import { number, object, string } from 'yup'

const WITHIN_MS = 10_000
const RETRIES = 3
const FIRST_WAIT_MS = 500
/** OTLP/HTTP, "Retryable Response Codes". */
const RETRYABLE = new Set([429, 502, 503, 504])

export interface Collector {
  /** Sends what a run came to; a fault in words where it was not taken. */
  send(result: RunResult): Promise<string | undefined>
}

/**
 * A collector by its endpoint, to which `/v1/metrics` is added, as OTLP's exporters do.
 *
 * @param endpoint - such as http://127.0.0.1:4318
 * @param headers - `name=value` pairs with commas between, as `OTEL_EXPORTER_OTLP_HEADERS` has them
 * @returns a fault in words where that is no endpoint
 */
export function collectorAt(endpoint: string, headers = ''): Collector | string {
  if (!/^https?:\/\/[^/]/.test(endpoint) || !URL.canParse(endpoint))
    return `"${endpoint}" is not the endpoint of a collector, such as http://127.0.0.1:4318`
  const url = new URL(endpoint)
  url.pathname = `${url.pathname.replace(/\/$/, '')}/v1/metrics`
  const own = readHeaders(headers)
  return {
    async send(result) {
      try {
        for (const body of otlpOf(result)) await post(url.href, own, body)
        return undefined
      } catch (error) {
        return error instanceof Error ? error.message : String(error)
      }
    },
  }
}

/** W3C Baggage's list of pairs, values percent-encoded, as the specification of OTLP's exporters says. */
function readHeaders(text: string): Record<string, string> {
  const pairs = text.split(',').flatMap((pair): [string, string][] => {
    const at = pair.indexOf('=')
    return at < 1 ? [] : [[pair.slice(0, at).trim().toLowerCase(), decoded(pair.slice(at + 1).trim())]]
  })
  return Object.fromEntries(pairs)
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

function post(url: string, headers: Record<string, string>, body: OtlpMetrics): Promise<void> {
  return pRetry(
    async () => {
      const response = await request(url, {
        method: 'POST',
        headers: { ...headers, 'content-type': 'application/json' },
        body: JSON.stringify(body),
        signal: AbortSignal.timeout(WITHIN_MS),
      })
      const said = await response.body.text()
      const { statusCode } = response
      if (statusCode >= 200 && statusCode < 300) refusePartial(said)
      else {
        const fault = new Error(`${url} answered ${String(statusCode)} ${said.slice(0, 200)}`.trim())
        throw RETRYABLE.has(statusCode) ? fault : new AbortError(fault)
      }
    },
    { retries: RETRIES, minTimeout: FIRST_WAIT_MS, factor: 2 },
  )
}

/** OTLP, "Partial Success": it took some, and says how many it did not. */
function refusePartial(said: string): void {
  const answer = parseJson(said)
  if (!PARTIAL.isValidSync(answer)) return
  const { rejectedDataPoints, errorMessage = '' } = PARTIAL.cast(answer).partialSuccess
  if (rejectedDataPoints > 0)
    throw new AbortError(`the collector rejected ${String(rejectedDataPoints)} data points: ${errorMessage}`)
}
const PARTIAL = object({
  partialSuccess: object({ rejectedDataPoints: number().required(), errorMessage: string().max(500) }).required(),
})
