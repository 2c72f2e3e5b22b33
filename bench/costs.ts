// What a request costs, by part: where the processor was while many were made, by a sampling profile.
import { Session, type Profiler } from 'node:inspector/promises'
import { setTimeout as sleep } from 'node:timers/promises'

const WARM_MS = 1500
const MEASURE_MS = 4000
const INTERVAL_US = 500

/** What each part may cost, in µs on the machine that `docs/speed.md` speaks of. */
export const BUDGETS_US: Readonly<Record<string, number>> = {
  'writing, the kernel included': 7,
  'reading, streams and what else is Node’s': 4.5,
  'heads of requests and answers': 3,
  JSON: 2,
  'walking, checks and keeps': 1.6,
  'exchange, cookies, limits, redirects': 1,
  'the collector': 0.8,
  'trace ids and draws': 0.8,
  'texts and URLs of the plan': 0.6,
  recording: 0.6,
  clock: 0.5,
}

/** Parts by where their code is. */
const PARTS: [part: string, url: RegExp][] = [
  ['heads of requests and answers', /engine\/src\/http\/links\//],
  ['exchange, cookies, limits, redirects', /engine\/src\/http\//],
  ['walking, checks and keeps', /engine\/src\/walk\//],
  ['recording', /engine\/src\/generate\/|core\/(?:src|dist)\/(?:measure|numbers)\//],
  ['JSON', /json/],
  ['trace ids and draws', /core\/(?:src|dist)\/values\/(?:traces|random)/],
  ['texts and URLs of the plan', /core\/(?:src|dist)\//],
  ['clock', /engine\/src\/clock\//],
]
/** What is no code of ours, by the name of its function. */
const NATIVE: [part: string, name: RegExp][] = [
  ['the collector', /garbage collector/],
  ['clock', /^now$/],
  ['writing, the kernel included', /write/i],
  ['heads of requests and answers', /^RegExp|latin1Slice/],
]
const REST = 'reading, streams and what else is Node’s'

/**
 * µs of the processor for each request, by part.
 *
 * @param read - requests so far
 */
export async function costsOf(read: () => number): Promise<Record<string, number>> {
  await sleep(WARM_MS)
  const session = new Session()
  session.connect()
  await session.post('Profiler.enable')
  await session.post('Profiler.setSamplingInterval', { interval: INTERVAL_US })
  await session.post('Profiler.start')
  const before = read()
  await sleep(MEASURE_MS)
  const count = read() - before
  const { profile } = await session.post('Profiler.stop')
  session.disconnect()
  return Object.fromEntries([...timesOf(profile)].map(([part, us]) => [part, us / count]))
}

function timesOf({ nodes, samples = [], timeDeltas = [] }: Profiler.Profile): Map<string, number> {
  const parts = new Map(nodes.map(({ id, callFrame }) => [id, partOf(callFrame)]))
  const times = new Map<string, number>()
  for (const [index, id] of samples.entries()) {
    const part = parts.get(id)
    if (part !== undefined) times.set(part, (times.get(part) ?? 0) + (timeDeltas[index] ?? 0))
  }
  return times
}

/** Undefined while nothing runs. */
function partOf({ functionName, url }: Profiler.Profile['nodes'][number]['callFrame']): string | undefined {
  if (functionName === '(idle)') return undefined
  const lists = url === '' ? ([NATIVE, functionName] as const) : ([PARTS, url] as const)
  return lists[0].find(([, pattern]) => pattern.test(lists[1]))?.[0] ?? REST
}
