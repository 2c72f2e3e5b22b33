// Names of hosts: asked for again when their time to live is over, and all their addresses are used in turn.
import { lookup, promises, type LookupAddress } from 'node:dns'
import { isIP } from 'node:net'

/** What is known where the system knows a name by other means than DNS, or DNS does not answer. */
const USUAL_MS = 30_000
const LEAST_MS = 1000
const AGAIN_MS = 5000

export interface NameAnswer {
  addresses: LookupAddress[]
  /** For how long they hold; a promise, since no request waits for it. */
  holdsMs: Promise<number>
}

interface Known {
  addresses: LookupAddress[]
  endsMs: number
  /** The next address to begin with. */
  turn: number
  isAsking: boolean
}

type Callback = (error: Error | null, addresses: LookupAddress[]) => void

export class Names {
  private readonly known = new Map<string, Known>()
  /** Grows whenever a name leads elsewhere than before. */
  version = 0

  constructor(
    private readonly ask: (name: string) => Promise<NameAnswer> = askSystem,
    private readonly nowMs: () => number = () => performance.now(),
  ) {}

  /** Gives all addresses of a name; each call begins with the next of them. */
  addressesOf(name: string, callback: Callback): void {
    const known = this.known.get(name)
    if (known !== undefined && known.addresses.length > 0) {
      this.refresh(name)
      callback(null, inTurn(known))
      return
    }
    const entry = known ?? { addresses: [], endsMs: 0, turn: 0, isAsking: false }
    this.known.set(name, entry)
    this.askFor(name, entry).then(
      () => {
        callback(null, inTurn(entry))
      },
      (error: unknown) => {
        callback(error instanceof Error ? error : new Error(String(error)), [])
      },
    )
  }

  /** Asks again for a name whose time is over, beside the load; what is known holds until then. */
  refresh(name: string): void {
    const known = this.known.get(name)
    if (known === undefined || known.isAsking || this.nowMs() < known.endsMs) return
    this.askFor(name, known).catch(() => {
      known.endsMs = this.nowMs() + AGAIN_MS
    })
  }

  /** Whether a name still leads to an address; what was never asked for does. */
  leadsTo(name: string, address: string): boolean {
    const known = this.known.get(name)
    return known === undefined || known.addresses.length === 0 || known.addresses.some((one) => one.address === address)
  }

  private async askFor(name: string, known: Known): Promise<void> {
    known.isAsking = true
    try {
      const { addresses, holdsMs } = await this.ask(name)
      const before = known.addresses
      known.addresses = addresses
      known.endsMs = this.nowMs() + USUAL_MS
      if (before.some(({ address }) => !addresses.some((one) => one.address === address))) this.version++
      void holdsMs.then((ms) => (known.endsMs = this.nowMs() + Math.max(LEAST_MS, ms)))
    } finally {
      known.isAsking = false
    }
  }
}

/** The names that all connections of a thread share. */
export const NAMES = new Names()

function inTurn(known: Known): LookupAddress[] {
  const at = known.turn++ % Math.max(1, known.addresses.length)
  return [...known.addresses.slice(at), ...known.addresses.slice(0, at)]
}

/** Addresses as the system knows them, its hosts file included, and the time to live as DNS tells it. */
function askSystem(name: string): Promise<NameAnswer> {
  return new Promise((resolve, reject) => {
    lookup(name, { all: true }, (error, addresses) => {
      if (error === null) resolve({ addresses, holdsMs: timeToLive(name) })
      else reject(error)
    })
  })
}

async function timeToLive(name: string): Promise<number> {
  if (isIP(name) !== 0 || name === 'localhost' || name.endsWith('.localhost')) return USUAL_MS
  const answers = await Promise.allSettled([
    promises.resolve4(name, { ttl: true }),
    promises.resolve6(name, { ttl: true }),
  ])
  const seconds = answers.flatMap((one) => (one.status === 'fulfilled' ? one.value.map(({ ttl }) => ttl) : []))
  return seconds.length === 0 ? USUAL_MS : 1000 * Math.min(...seconds)
}
