// The names of a fleet: its generators, and the subjects on which they are spoken to and tell what happens.
import { PLACE_NAME } from '@jolt-gate/core'

/** Of a generator, and of a place. */
const NAME = PLACE_NAME

/**
 * A generator as the fleet knows it. Its place is a part of the name that its key permits, so that none can say that it
 * stands elsewhere.
 */
export const idOf = (place: string, name: string): string => `${place}/${name}`

/** The place of a generator; undefined where it is no name of one. */
export function placeOf(id: string): string | undefined {
  const [place = '', name = '', ...rest] = id.split('/')
  return NAME.test(place) && NAME.test(name) && rest.length === 0 ? place : undefined
}

/** Rows of who is there. */
export const ROSTER = 'gen'
/** Who owns which run. */
export const OWNERS = 'run'
/** Keeps what generators tell, until it is taken. */
export const STREAM = 'GATE'
export const STREAM_SUBJECTS = 'gate.from.>'

export const rowSubject = (id: string): string => `$KV.${ROSTER}.${id}`
export const wordSubject = (id: string): string => `gate.to.${id}`
export const parcelSubject = (id: string): string => `gate.file.${id}`
export const runSubjects = (run: string): string => `gate.from.${run}.>`
export const inboxOf = (id: string): string => `_INBOX.${id}`

/** What a generator may do on the bus, and nothing else. */
export const permissionsOf = (id: string) => ({
  publish: [`gate.from.*.${id}.>`, rowSubject(id), parcelSubject(id)],
  subscribe: [wordSubject(id), `${inboxOf(id)}.>`],
})

/** A part of something that a generator tells. */
export interface PartAddress {
  run: string
  id: string
  kind: string
  /** Of what it tells in this run, from 0. */
  number: number
  /** From 0. */
  part: number
  parts: number
}

export const partSubject = ({ run, id, kind, number, part, parts }: PartAddress): string =>
  `gate.from.${run}.${id}.${kind}.${String(number)}.${String(part)}.${String(parts)}`

/** Reads the subject of a part; undefined for what is none. */
export function partAddress(subject: string): PartAddress | undefined {
  const [gate, from, run = '', id = '', kind = '', ...numbers] = subject.split('.')
  const [number, part, parts] = numbers.map((text) => (/^\d{1,9}$/.test(text) ? Number(text) : undefined))
  if (gate !== 'gate' || from !== 'from' || numbers.length !== 3) return undefined
  if (number === undefined || part === undefined || parts === undefined || part >= parts) return undefined
  return { run, id, kind, number, part, parts }
}
