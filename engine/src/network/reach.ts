// Where a connection may lead. It is asked of the very address that is connected to, so that no name can lead elsewhere
// than it did when it was permitted.
import { BlockList, isIP, type LookupFunction } from 'node:net'
import { networkInterfaces } from 'node:os'
import { NAMES, type Names } from './names.js'

/** The code of an error that says so. */
export const NOT_PERMITTED = 'NOT_PERMITTED'
/** Ports of this machine that belong to the application itself; threads and child processes inherit it. */
const CLOSED = 'JOLT_GATE_CLOSED_PORTS'

/**
 * Closes ports of this machine to whatever is loaded from here: no plan may reach the application itself.
 *
 * @returns opens them again
 */
export function closePorts(ports: readonly number[]): () => void {
  process.env[CLOSED] = [...closedPorts(), ...ports].join(',')
  return () => {
    process.env[CLOSED] = closedPorts()
      .filter((port) => !ports.includes(port))
      .join(',')
  }
}

function closedPorts(): number[] {
  return (process.env[CLOSED] ?? '').split(',').flatMap((port) => (port === '' ? [] : [Number(port)]))
}

/** Networks that alone may be reached, as `address/bits`; threads and child processes inherit them. */
const NETWORKS = 'JOLT_NETWORKS'

/**
 * Holds whatever leaves this process to some networks, this machine's own included only where they name it.
 *
 * @param networks - as `address/bits` (RFC 4632, section 3.1; RFC 4291, section 2.3)
 * @returns what is wrong with them; undefined where they hold from now on
 */
export function holdToNetworks(networks: readonly string[]): string | undefined {
  for (const network of networks) {
    const { address, bits } = partsOf(network)
    const most = isIP(address) === 6 ? 128 : 32
    if (isIP(address) === 0 || !/^\d{1,3}$/.test(bits) || Number(bits) > most)
      return `"${network}" is no network: write it as 10.0.0.0/8 or fd00::/8`
  }
  process.env[NETWORKS] = networks.join(',')
  return undefined
}

function partsOf(network: string): { address: string; bits: string } {
  const [address = '', bits = ''] = network.split('/')
  return { address, bits }
}

let [knownText, knownList] = ['', new BlockList()]
/** Undefined where every network may be reached. */
function networks(): BlockList | undefined {
  const text = process.env[NETWORKS] ?? ''
  if (text === '') return undefined
  if (text !== knownText) {
    const subnets = text.split(',').map(partsOf)
    ;[knownText, knownList] = [text, listOf(subnets.map(({ address, bits }) => [address, Number(bits)]))]
  }
  return knownList
}

const LOOPBACK = listOf([
  ['127.0.0.0', 8],
  ['0.0.0.0', 8],
  ['::1', 128],
  ['::', 128],
])
const LINK_LOCAL = listOf([
  ['169.254.0.0', 16],
  ['fe80::', 10],
  // The same by translation (RFC 6052, section 2.1).
  ['64:ff9b::a9fe:0', 112],
])
/**
 * Where clouds hand out the keys of their machines, beside link-local addresses: as their handbooks say, from memory.
 * A name leads to one of these, or to a link-local one.
 */
const MACHINE_KEYS = listOf([
  ['100.100.100.200', 32],
  ['168.63.129.16', 32],
  ['192.0.0.192', 32],
  ['fd00:ec2::', 32],
  ['fd20:ce::254', 128],
  ['64:ff9b::6464:64c8', 128],
  ['64:ff9b::a83f:8110', 128],
  ['64:ff9b::c000:c0', 128],
])

/**
 * Why a connection may not be made; undefined when it may.
 *
 * @param host - as the plan or target names it
 * @param address - what it leads to
 */
export function refusal(host: string, address: string, port: number): string | undefined {
  const plain = address.replace(/^::ffff:(?=\d+\.)/i, '')
  const isHere = isIn(LOOPBACK, plain)
  if (closedPorts().includes(port) && (isHere || isOwn(plain)))
    return `port ${String(port)} of this machine belongs to Jolt Gate itself`
  if (isIn(LINK_LOCAL, plain)) return `${plain} is link-local, and never a target`
  if (isIn(MACHINE_KEYS, plain)) return `${plain} hands out keys of machines, and is never a target`
  const allowed = networks()
  if (allowed !== undefined && !isIn(allowed, plain)) return `${plain} is in none of the networks that may be reached`
  const name = plainHost(host)
  const isNamedHere = isIP(name) !== 0 || name === 'localhost' || name.endsWith('.localhost')
  return isHere && !isNamedHere ? `${name} leads to ${plain}, which is this machine: name it localhost` : undefined
}

/** The same for a URL; one that names a host says more when that is looked up. */
export function refusalOf(url: URL): string | undefined {
  const host = plainHost(url.hostname)
  return isIP(host) === 0 ? undefined : refusal(host, host, portOf(url))
}

/** The port of a URL. */
export function portOf({ port, protocol }: Pick<URL, 'port' | 'protocol'>): number {
  return Number(port) || (protocol === 'https:' || protocol === 'wss:' ? 443 : 80)
}

/** A host without the brackets of an address, and without the dot of the root. */
export const plainHost = (hostname: string): string => hostname.replace(/^\[(.*)\]$/, '$1').replace(/\.$/, '')

/** Looks names up for a port, and gives only addresses that may be connected to. */
export function lookupFor(port: number, names: Names = NAMES): LookupFunction {
  return (host, { all }, callback) => {
    names.addressesOf(host, (error, found) => {
      const allowed = found.filter(({ address }) => refusal(host, address, port) === undefined)
      const [first] = allowed
      if (error !== null) callback(error, '')
      else if (first === undefined) callback(refused(host, found[0]?.address ?? '', port), '')
      else if (all === true) callback(null, allowed)
      else callback(null, first.address, first.family)
    })
  }
}

/**
 * A name as an address that may be connected to.
 *
 * @param host - a name or an address
 * @throws the reason where it may not be reached, with the code NOT_PERMITTED, or where it has no address
 */
export function reachable(host: string, port: number): Promise<string> {
  return new Promise((resolve, reject) => {
    const name = plainHost(host)
    if (isIP(name) !== 0) {
      if (refusal(name, name, port) === undefined) resolve(name)
      else reject(refused(name, name, port))
      return
    }
    lookupFor(port)(name, { all: false }, (error, address) => {
      if (error === null && typeof address === 'string') resolve(address)
      else reject(error ?? refused(name, '', port))
    })
  })
}

/** The error of a connection that may not be made. */
export const refused = (host: string, address: string, port: number): Error =>
  Object.assign(new Error(refusal(host, address, port) ?? `${host} has no address`), { code: NOT_PERMITTED })

function isOwn(address: string): boolean {
  return Object.values(networkInterfaces()).some((list) => list?.some((one) => one.address === address) === true)
}

function listOf(subnets: [string, number][]): BlockList {
  const list = new BlockList()
  for (const [address, prefix] of subnets) list.addSubnet(address, prefix, address.includes(':') ? 'ipv6' : 'ipv4')
  return list
}

function isIn(list: BlockList, address: string): boolean {
  const version = isIP(address)
  return version !== 0 && list.check(address, version === 6 ? 'ipv6' : 'ipv4')
}
