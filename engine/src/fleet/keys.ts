// The key files of a fleet: that of its coordinator, and one for each generator.
import { generateKeyPairSync } from 'node:crypto'
import { readFileSync, statSync } from 'node:fs'
import { createUser } from '@nats-io/nkeys'
import { mixed, object, string, type InferType } from 'yup'
import { parseJson, PLACE_NAME } from '@jolt-gate/core'

const MOST_BYTES = 64_000

const text = () => string().required().max(20_000)
const certificate = () => string().nullable().defined().max(20_000)
const coordinatorKey = object({
  kind: mixed<'coordinator'>().oneOf(['coordinator']).required(),
  /** By which it connects: the seed of a user's nkey. */
  seed: text(),
  /** By which it signs its words: base64 of PKCS #8. */
  signs: text(),
  /** Certificate of the authority that the server's is signed by; null on loopback. */
  authority: certificate(),
})
const generatorKey = object({
  kind: mixed<'generator'>().oneOf(['generator']).required(),
  name: text().matches(PLACE_NAME),
  place: text().matches(PLACE_NAME),
  seed: text(),
  /** Whose words it obeys: base64 of SPKI. */
  obeys: text(),
  authority: certificate(),
})
export type CoordinatorKey = InferType<typeof coordinatorKey>
export type GeneratorKey = InferType<typeof generatorKey>

/** @throws Error that says which file is no such key */
export const readCoordinatorKey = (path: string): CoordinatorKey => readKey(path, coordinatorKey, 'a coordinator')
export const readGeneratorKey = (path: string): GeneratorKey => readKey(path, generatorKey, 'a generator')

function readKey<T>(path: string, schema: { validateSync(value: unknown, options: object): T }, of: string): T {
  if (statSync(path).size > MOST_BYTES) throw new Error(`${path} is no key of ${of}: it is larger than 64 kB`)
  const parsed = parseJson(readFileSync(path, 'utf8'))
  try {
    return schema.validateSync(parsed, { strict: true })
  } catch {
    throw new Error(`${path} is no key of ${of}`)
  }
}

/** A new pair by which a coordinator signs, and its generators know that it did. */
export function newSigningPair(): { signs: string; obeys: string } {
  const { privateKey, publicKey } = generateKeyPairSync('ed25519')
  return {
    signs: privateKey.export({ format: 'der', type: 'pkcs8' }).toString('base64'),
    obeys: publicKey.export({ format: 'der', type: 'spki' }).toString('base64'),
  }
}

/** A new identity on the bus. */
export function newUser(): { seed: string; user: string } {
  const pair = createUser()
  return { seed: Buffer.from(pair.getSeed()).toString(), user: pair.getPublicKey() }
}
