// What somebody sends, held to the contract.
import { Problem } from './problem.js'

/** Of a schema, what is asked of it here. */
interface Validates<T> {
  validate: (value: unknown, options: { stripUnknown: boolean }) => Promise<T>
}

/** Names that every object has: what is given under them is taken for what an object can do. */
const TRAPS = ['__proto__', 'constructor', 'prototype']

const MOST_LEVELS = 100
const MOST_VALUES = 500_000
const [QUOTE, BACKSLASH, COMMA] = [0x22, 0x5c, 0x2c]
const [OPENING, CLOSING]: [number[], number[]] = [
  [0x5b, 0x7b],
  [0x5d, 0x7d],
]

/** Refuses what would take seconds and a gigabyte to read: the bytes alone show it, before anything is made of them. */
function refuseHuge(body: Uint8Array): void {
  let [levels, values, isText] = [0, 0, false]
  for (let place = 0; place < body.length; place++) {
    const byte = body[place] ?? 0
    if (isText) {
      if (byte === BACKSLASH) place++
      else if (byte === QUOTE) isText = false
    } else if (byte === QUOTE) isText = true
    else if (byte === COMMA) values++
    else if (OPENING.includes(byte)) levels++
    else if (CLOSING.includes(byte)) levels--
    if (levels > MOST_LEVELS)
      throw new Problem(413, 'TOO_LARGE', `the JSON nests deeper than ${String(MOST_LEVELS)} levels`)
  }
  if (values > MOST_VALUES) throw new Problem(413, 'TOO_LARGE', `the JSON has more than ${String(MOST_VALUES)} values`)
}

/** Refuses names that are traps, anywhere in what was sent. */
export function refuseTraps(body: unknown): void {
  const left: unknown[] = [body]
  while (left.length > 0) {
    const value = left.pop()
    if (typeof value !== 'object' || value === null) continue
    const trap = TRAPS.find((name) => Object.hasOwn(value, name))
    if (trap !== undefined) throw new Problem(400, 'BAD_FIELD', `no field may be called ${trap}`)
    for (const inner of Object.values(value)) if (typeof inner === 'object') left.push(inner)
  }
}

/** What was given, as the contract has it. Where that cannot even be asked, a list in place of a text, it is wrong. */
export async function valid<T>(schema: Validates<T>, given: unknown): Promise<T> {
  try {
    return await schema.validate(given, { stripUnknown: true })
  } catch (error) {
    if (error instanceof TypeError) throw new Problem(400, 'BAD_FIELD', 'a field is of another kind than it must be')
    throw error
  }
}

/** The JSON of a body that was taken as it came. */
export async function readJson<T>(schema: Validates<T>, body: Uint8Array): Promise<T> {
  refuseHuge(body)
  let given: unknown
  try {
    given = JSON.parse(new TextDecoder().decode(body))
  } catch {
    throw new Problem(400, 'BAD_REQUEST', 'the body is not JSON')
  }
  refuseTraps(given)
  return valid(schema, given)
}
