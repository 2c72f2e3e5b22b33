// Larkholm Ferries: harbours, sailings, holds and bookings, in memory.
import { randomUUID } from 'node:crypto'

export const HARBOURS = ['LARKHOLM', 'OSTREY', 'FENNICK', 'MARROW-SOUND', 'TARN-SKERRY'] as const

export interface Sailing {
  id: string
  from: string
  to: string
  day: string
  departs: string
  places: number
}

export interface Hold {
  id: string
  sailing: string
  people: number
  run: string | undefined
}

export interface Booking {
  id: string
  hold: string
  amount: number
  cancelled: boolean
}

const DEPARTURES = ['07:10', '09:40', '12:15', '15:30', '18:05', '20:45']
const MOST_KEPT = 20_000

export class World {
  readonly holds = new Map<string, Hold>()
  readonly bookings = new Map<string, Booking>()
  private readonly tokens = new Set<string>()

  /** Sailings from one harbour on a day, to every other one. */
  search(from: string, day: string): Sailing[] {
    const harbour = HARBOURS.findIndex((name) => name === from)
    if (harbour < 0) return []
    return HARBOURS.flatMap((to, index) =>
      index === harbour
        ? []
        : DEPARTURES.filter((_, slot) => (slot + index + harbour) % 2 === 0).map((departs) =>
            sailingOf(from, to, day, departs),
          ),
    )
  }

  find(id: string): Sailing | undefined {
    const [from = '', to = '', day = '', time = ''] = id.split('_')
    return this.search(from, day).find(
      (sailing) => sailing.to === to && sailing.departs === `${time.slice(0, 2)}:${time.slice(2)}`,
    )
  }

  signIn(): string {
    const token = randomUUID()
    keepBounded(this.tokens)
    this.tokens.add(token)
    return token
  }

  isSignedIn(authorization: string | undefined): boolean {
    return authorization?.startsWith('Bearer ') === true && this.tokens.has(authorization.slice(7))
  }

  addHold(hold: Omit<Hold, 'id'>): Hold {
    const made = { id: randomUUID(), ...hold }
    keepBounded(this.holds)
    this.holds.set(made.id, made)
    return made
  }

  dropHolds(run: string): number {
    const dropped = [...this.holds.values()].filter((hold) => hold.run === run)
    for (const hold of dropped) this.holds.delete(hold.id)
    return dropped.length
  }

  book(hold: Hold, amount: number): Booking {
    const booking = { id: randomUUID(), hold: hold.id, amount, cancelled: false }
    this.holds.delete(hold.id)
    keepBounded(this.bookings)
    this.bookings.set(booking.id, booking)
    return booking
  }
}

function sailingOf(from: string, to: string, day: string, departs: string): Sailing {
  return { id: `${from}_${to}_${day}_${departs.replace(':', '')}`, from, to, day, departs, places: 180 }
}

/** Drops the oldest entry of a full store, so that a long load cannot fill the memory. */
function keepBounded(store: Map<string, unknown> | Set<string>): void {
  if (store.size < MOST_KEPT) return
  const oldest = store.keys().next()
  if (oldest.done !== true) store.delete(oldest.value)
}
