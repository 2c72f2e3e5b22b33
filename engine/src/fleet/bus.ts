// A connection to the bus of a fleet.
import { isIP } from 'node:net'
import { connect, nkeyAuthenticator, type NatsConnection } from '@nats-io/transport-node'
import { isLoopback } from '@jolt-gate/core'

/** How often a lost connection is tried again; it is never given up. */
const AGAIN_AFTER_MS = 250
const WITHIN_MS = 5000

export interface BusOptions {
  /** nats://HOST:PORT */
  address: string
  seed: string
  authority: string | null
  inbox: string
  name: string
}

/**
 * Connects, by TLS beyond loopback.
 *
 * @throws Error that says what is wrong with the address, or that nobody answers there
 */
export async function connectBus({ address, seed, authority, inbox, name }: BusOptions): Promise<NatsConnection> {
  const { hostname, port } = hostOf(address)
  const isHere = isLoopback(`http://${hostname}`)
  if (authority === null && !isHere)
    throw new Error(`${address}: beyond loopback TLS is required, and the key knows no authority: make it with a host`)
  // An address is no name to ask for: the library leaves it out, and the certificate would be held against localhost.
  const tls = authority === null ? {} : { tls: { ca: authority, ...(isIP(hostname) === 0 ? {} : { host: hostname }) } }
  try {
    return await connect({
      ...{ servers: `${hostname}:${port}`, name, inboxPrefix: inbox, timeout: WITHIN_MS },
      authenticator: nkeyAuthenticator(Buffer.from(seed)),
      ...{ maxReconnectAttempts: -1, reconnectTimeWait: AGAIN_AFTER_MS, reconnectJitter: AGAIN_AFTER_MS },
      ...{ pingInterval: 2000, maxPingOut: 2 },
      ...tls,
    })
  } catch (error) {
    throw new Error(`${address}: ${error instanceof Error ? error.message : String(error)}`, { cause: error })
  }
}

function hostOf(address: string): { hostname: string; port: string } {
  const url = URL.canParse(address) ? new URL(address) : undefined
  if (url?.protocol !== 'nats:' || url.hostname === '' || url.pathname.length > 1)
    throw new Error(`${address} is no address of a fleet: expected nats://HOST:4222`)
  return { hostname: url.hostname, port: url.port === '' ? '4222' : url.port }
}
