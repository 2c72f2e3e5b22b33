// What can go wrong with the service, at the flick of a switch.

export interface Flaws {
  /** Factor on the time that a search takes. */
  slowSearch: number
  /** Share of requests, 0 to 1, answered with 500. */
  errors: number
  /** Seconds after the start in which all work takes four times as long. */
  coldStartSeconds: number
  /** Milliseconds by which each thousand requests slow all later ones. */
  leakMs: number
  /** Two holds on one sailing that come at once lose the first. */
  race: boolean
  /** Milliseconds for which nothing is answered, from the moment it is set. */
  stallMs: number
  /** Everything stands still for so long, so often: a collector of garbage. */
  pauseMs: number
  pauseEveryMs: number
  /** Share of searches, 0 to 1, that are not in the cache and take 60 ms more. */
  misses: number
  /** Milliseconds for which the fares of a search are waited for, after its head is sent. */
  slowFaresMs: number
  /** Of a thousand requests, so many leave a connection to the database open; with all of them open nothing works. */
  lostConnections: number
}

export const NO_FLAWS: Flaws = {
  slowSearch: 1,
  errors: 0,
  coldStartSeconds: 0,
  leakMs: 0,
  race: false,
  stallMs: 0,
  pauseMs: 0,
  pauseEveryMs: 0,
  misses: 0,
  slowFaresMs: 0,
  lostConnections: 0,
}

type NumberFlaw = Exclude<keyof Flaws, 'race'>

/** Reads flaws from untrusted input; what is unknown or out of range is named. */
export function readFlaws(input: unknown, before: Flaws): Flaws | string {
  if (typeof input !== 'object' || input === null) return 'flaws are a JSON object'
  const flaws = { ...before }
  for (const [name, value] of Object.entries(input)) {
    if (name === 'race') {
      if (typeof value !== 'boolean') return 'race is true or false'
      flaws.race = value
      continue
    }
    const known = NUMBERS.find((one) => one === name)
    if (known === undefined) return `there is no flaw called ${name}`
    const most = MOST[known]
    if (typeof value !== 'number' || !(value >= 0 && value <= most)) return `${name} lies between 0 and ${String(most)}`
    flaws[known] = value
  }
  return flaws
}

const MOST: Readonly<Record<NumberFlaw, number>> = {
  slowSearch: 100,
  errors: 1,
  coldStartSeconds: 3600,
  leakMs: 1000,
  stallMs: 60_000,
  pauseMs: 10_000,
  pauseEveryMs: 600_000,
  misses: 1,
  slowFaresMs: 60_000,
  lostConnections: 1000,
}
const NUMBERS: readonly NumberFlaw[] = [
  'slowSearch',
  'errors',
  'coldStartSeconds',
  'leakMs',
  'stallMs',
  'pauseMs',
  'pauseEveryMs',
  'misses',
  'slowFaresMs',
  'lostConnections',
]
