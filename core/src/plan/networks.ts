// The networks that users come over, each with its share of them.
import type { Node } from 'yaml'
import { offsetOf, readFields, readList, readPhrase, readText, readWhole, type Field } from './fields.js'
import type { PlanNetwork } from './model.js'
import type { Source } from './source.js'

const [MOST_NETWORKS, MOST_WEIGHT] = [20, 1000]
const MOST_DELAY_MS = 10_000
/** A thousand bits a second, and ten thousand million. */
const [LEAST_BITS, MOST_BITS] = [1e3, 1e10]

export function readNetworks(source: Source, node: Node | null): PlanNetwork[] | undefined {
  if (node === null) return undefined
  const items = readList(source, node, 'networks')
  const names = new Set<string>()
  const networks = items.flatMap((item): PlanNetwork[] => {
    const network = readNetwork(source, item)
    if (network === undefined) return []
    if (names.has(network.name)) source.report(offsetOf(item), 'NAME', `there is a network "${network.name}" already`)
    names.add(network.name)
    return [network]
  })
  if (items.length > MOST_NETWORKS)
    source.report(offsetOf(node), 'TOO_MANY', `a plan has at most ${String(MOST_NETWORKS)} networks`)
  if (items.length === 0)
    source.report(offsetOf(node), 'EMPTY', 'networks: name one or more, such as - { network: office, weight: 1 }')
  return networks.length === 0 ? undefined : networks
}

function readNetwork(source: Source, node: Node): PlanNetwork | undefined {
  const fields = readFields(source, node, 'this network', 'network')
  const name = readText(source, fields.get('network'), 'network')
  if (name === undefined) {
    if (!fields.has('network')) source.report(offsetOf(node), 'MISSING_KEY', 'a network needs a name: network: office')
    return undefined
  }
  const weight = readWhole(source, fields.get('weight'), `the weight of "${name}"`, 1) ?? 1
  if (weight > MOST_WEIGHT)
    source.report(
      offsetOf(fields.get('weight')?.value ?? null),
      'NUMBER',
      `a weight of a network is at most ${String(MOST_WEIGHT)}`,
    )
  const delayMs = readDelay(source, fields.get('delay'), 'delay')
  const jitterMs = readDelay(source, fields.get('jitter'), 'jitter')
  if (jitterMs > delayMs)
    source.report(
      offsetOf(fields.get('jitter')?.value ?? null),
      'NUMBER',
      'jitter is at most the delay: a delay varies by it to either side',
    )
  const [downBits, upBits] = [readBits(source, fields.get('down'), 'down'), readBits(source, fields.get('up'), 'up')]
  return { name, weight, delayMs, jitterMs, downBits, upBits }
}

function readDelay(source: Source, field: Field | undefined, what: string): number {
  if (field === undefined) return 0
  const ms = readPhrase(source, field.value, 'DurationOnly', what) ?? 0
  if (ms > MOST_DELAY_MS)
    source.report(offsetOf(field.value), 'NUMBER', `${what} is at most ${String(MOST_DELAY_MS / 1000)}s`)
  return ms
}

function readBits(source: Source, field: Field | undefined, what: string): number | undefined {
  if (field === undefined) return undefined
  const bits = readPhrase(source, field.value, 'BitsOnly', what)
  if (bits !== undefined && (bits < LEAST_BITS || bits > MOST_BITS))
    source.report(offsetOf(field.value), 'NUMBER', `${what} lies between 1 kbit/s and 10 Gbit/s`)
  return bits
}
