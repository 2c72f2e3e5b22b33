// A program of one GET, again and again: what warming up and calibrating walk.
import { NOT_MEASURED } from '@jolt-gate/core'
import type { Operation, Program } from './program.js'

const COUNTER = 0
const TIMEOUT_MS = 5000

/**
 * @param url - a path on the target
 * @param times - how often it is asked for, each time when the answer before has come
 */
export function requestsInTurn(url: string, times: number): Program {
  const operations: Operation[] = [
    { kind: 'repeat begin', counter: COUNTER },
    { kind: 'repeat test', counter: COUNTER, times, end: 4 },
    {
      kind: 'send',
      step: NOT_MEASURED,
      place: 0,
      name: `GET ${url}`,
      request: { method: 'GET', url: () => url, headers: () => [], body: undefined },
      checks: [],
      keeps: [],
      hasStatusCheck: false,
      needsBody: true,
      timeoutMs: TIMEOUT_MS,
      redirects: 0,
      http: 1,
      refreshMs: undefined,
      endsIterationOnFailure: false,
    },
    { kind: 'repeat next', counter: COUNTER, until: undefined, begin: 1, end: 4 },
  ]
  return {
    journey: 0,
    returning: false,
    operations,
    needsLast: false,
    secretSlots: [],
    data: [],
    begin: () => undefined,
  }
}
