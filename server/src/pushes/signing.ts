// Secrets of webhooks, which sign what goes out and prove what comes in (Standard Webhooks): shown once, kept sealed.
import { randomBytes } from 'node:crypto'
import { Webhook } from 'standardwebhooks'
import { Problem } from '../http/problem.js'
import { open, seal, type SealKey } from '../targets/seal.js'

/** Standard Webhooks asks for 24 to 64 bytes. */
const SECRET_BYTES = 32

export class Signing {
  constructor(private readonly key: SealKey | undefined) {}

  /** A new secret, as it is shown and as it is kept. */
  newSecret(projectId: number): { secret: string; sealed: string } {
    if (this.key === undefined)
      throw new Problem(409, 'NO_KEY', 'no key for secrets: start the server with --key-file, or set JOLT_GATE_KEY')
    const secret = `whsec_${randomBytes(SECRET_BYTES).toString('base64')}`
    return { secret, sealed: seal(this.key, placeOfSigning(projectId), secret) }
  }

  /** Signs and proves with a secret as it is kept; undefined where another key has sealed it. */
  with(projectId: number, sealed: string): Webhook | undefined {
    const secret = this.key === undefined ? undefined : open(this.key, placeOfSigning(projectId), sealed)
    return secret === undefined ? undefined : new Webhook(secret)
  }
}

export const placeOfSigning = (projectId: number): string => `project ${String(projectId)}, webhook`
