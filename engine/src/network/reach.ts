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

const LOOPBACK = listOf([
  ['127.0.0.0', 8],
  ['0.0.0.0', 8],
  ['::1', 128],
  ['::', 128],
])
/** Where clouds keep the keys of their machines. */
const LINK_LOCAL = listOf([
  ['169.254.0.0', 16],
  ['fe80::', 10],
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
