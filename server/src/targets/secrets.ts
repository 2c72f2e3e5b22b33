// The store of secrets: written, used by runs and rehearsals, never read back.
import { createHash } from 'node:crypto'
import type { Target } from '@jolt-gate/core'
import { secretsOf } from '@jolt-gate/engine'
import { SecretRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { open, seal, type SealKey } from './seal.js'

export class SecretStore {
  constructor(private readonly key: SealKey | undefined) {}

  /** The stored secrets of a target by name, and whether each may go to its addresses. */
  async stored(projectId: number, target: Target): Promise<Map<string, 'store' | 'sealed off'>> {
    const rows = await SecretRow.findAll({ where: { projectId, target: target.name }, attributes: ['name', 'bound'] })
    return new Map(rows.map(({ name, bound }) => [name, bound === boundTo(target) ? 'store' : 'sealed off']))
  }

  async write(projectId: number, target: Target, name: string, value: string): Promise<void> {
    if (this.key === undefined)
      throw new Problem(409, 'NO_KEY', 'no key for secrets: start the server with --key-file, or set JOLT_GATE_KEY')
    const sealed = seal(this.key, placeOf(projectId, target.name, name), value)
    await SecretRow.upsert({ projectId, target: target.name, name, sealed, bound: boundTo(target) })
  }

  /** Lets the stored secrets go to the addresses that the target has now. */
  async confirm(projectId: number, target: Target): Promise<void> {
    await SecretRow.update({ bound: boundTo(target) }, { where: { projectId, target: target.name } })
  }

  async forget(projectId: number, target: string, name: string): Promise<boolean> {
    return (await SecretRow.destroy({ where: { projectId, target, name } })) > 0
  }

  /** The values that a target needs, from here or from the environment; what is missing is said. */
  async valuesFor(projectId: number, target: Target): Promise<Record<string, string>> {
    const stored: Record<string, string> = {}
    const rows = this.key === undefined ? [] : await SecretRow.findAll({ where: { projectId, target: target.name } })
    for (const { name, sealed, bound } of rows) {
      if (!target.secrets.includes(name)) continue
      if (bound !== boundTo(target))
        throw new Problem(
          409,
          'SEALED_OFF',
          `the addresses of ${target.name} have changed since the secret "${name}" was stored: an administrator can confirm on the Targets page that it may go there`,
        )
      const value = this.key === undefined ? undefined : open(this.key, placeOf(projectId, target.name, name), sealed)
      if (value === undefined)
        throw new Problem(409, 'WRONG_KEY', `the secret "${name}" was sealed with another key: store it again`)
      stored[name] = value
    }
    const found = secretsOf(target, process.env, stored)
    if (found.kind === 'missing')
      throw new Problem(
        422,
        'NO_SECRET',
        `the target needs secrets: store them on the Targets page, or start the server with ${found.variables.join(' and ')}`,
      )
    if (found.kind === 'short')
      throw new Problem(
        422,
        'SHORT_SECRET',
        `a secret needs at least four characters: ${found.variables.join(' and ')}`,
      )
    return found.values
  }
}

/**
 * The addresses that a target's secrets may go to, as one text: whoever may change a target must not be able to send
 * them elsewhere.
 */
function boundTo({ origin, also, proxy, tls, metrics }: Target): string {
  const metricUrls = metrics.map(({ url }) => url).toSorted()
  const words = JSON.stringify([origin, also.toSorted(), proxy ?? null, tls ?? null, metricUrls])
  return createHash('sha256').update(words).digest('hex')
}

const placeOf = (projectId: number, target: string, name: string) => `${String(projectId)}/${target}/${name}`
