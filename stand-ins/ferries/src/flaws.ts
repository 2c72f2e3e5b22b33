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
}

export const NO_FLAWS: Flaws = { slowSearch: 1, errors: 0, coldStartSeconds: 0, leakMs: 0, race: false, stallMs: 0 }

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
    const most = MOST[name]
    if (most === undefined) return `there is no flaw called ${name}`
    if (typeof value !== 'number' || !(value >= 0 && value <= most)) return `${name} lies between 0 and ${String(most)}`
    if (name === 'slowSearch') flaws.slowSearch = value
    if (name === 'errors') flaws.errors = value
    if (name === 'coldStartSeconds') flaws.coldStartSeconds = value
    if (name === 'leakMs') flaws.leakMs = value
    if (name === 'stallMs') flaws.stallMs = value
  }
  return flaws
}

const MOST: Record<string, number> = {
  slowSearch: 100,
  errors: 1,
  coldStartSeconds: 3600,
  leakMs: 1000,
  stallMs: 60_000,
}
