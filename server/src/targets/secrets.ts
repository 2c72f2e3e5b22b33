// The store of secrets: written, used by runs and rehearsals, never read back.
import { createHash } from 'node:crypto'
import { isLoopback, type Target } from '@jolt-gate/core'
import { secretsOf, variableOf } from '@jolt-gate/engine'
import { SecretRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { open, seal, type SealKey } from './seal.js'

export class SecretStore {
  constructor(private readonly key: SealKey | undefined) {}

  /** Where the value of each secret of a target comes from, if it may go to its addresses. */
  async sources(projectId: number, target: Target): Promise<Map<string, SecretSource>> {
    const rows = await this.rowsOf(projectId, target)
    return new Map(
      target.secrets.map((name) => {
        const row = rows.get(name)
        const isConfirmed = row?.bound === boundTo(target)
        if (row !== undefined && row.sealed !== CONFIRMED) return [name, isConfirmed ? 'store' : 'blocked']
        if (!isInEnvironment(name)) return [name, 'nowhere']
        return [name, isConfirmed || isHere(target) ? 'environment' : 'blocked']
      }),
    )
  }

  async write(projectId: number, target: Target, name: string, value: string): Promise<void> {
    if (this.key === undefined)
      throw new Problem(409, 'NO_KEY', 'no key for secrets: start the server with --key-file, or set JOLT_GATE_KEY')
    const sealed = seal(this.key, placeOfSecret(projectId, target.name, name), value)
    await SecretRow.upsert({ projectId, target: target.name, name, sealed, bound: boundTo(target) })
  }

  /** Lets the secrets of a target go to the addresses that it has now, those of the environment too. */
  async confirm(projectId: number, target: Target): Promise<void> {
    const rows = await this.rowsOf(projectId, target)
    const place = { projectId, target: target.name }
    await SecretRow.update({ bound: boundTo(target) }, { where: place })
    for (const name of target.secrets)
      if (!rows.has(name) && isInEnvironment(name))
        await SecretRow.create({ ...place, name, sealed: CONFIRMED, bound: boundTo(target) })
  }

  /** Seals the secrets of a target under a second name, too; where they may go stays as it is. */
  async copyTo(projectId: number, from: string, to: string): Promise<void> {
    const rows = await SecretRow.findAll({ where: { projectId, target: from } })
    for (const { name, sealed, bound } of rows) {
      const moved = sealed === CONFIRMED ? CONFIRMED : this.sealedAnew(projectId, { from, to, name, sealed })
      await SecretRow.upsert({ projectId, target: to, name, sealed: moved, bound })
    }
  }

  private sealedAnew(
    projectId: number,
    { from, to, name, sealed }: { from: string; to: string; name: string; sealed: string },
  ): string {
    const value = this.key === undefined ? undefined : open(this.key, placeOfSecret(projectId, from, name), sealed)
    if (this.key === undefined || value === undefined)
      throw new Problem(409, 'WRONG_KEY', `the secret "${name}" was encrypted with another key: delete it, then rename`)
    return seal(this.key, placeOfSecret(projectId, to, name), value)
  }

  async forgetAll(projectId: number, target: string): Promise<void> {
    await SecretRow.destroy({ where: { projectId, target } })
  }

  async forget(projectId: number, target: string, name: string): Promise<boolean> {
    return (await SecretRow.destroy({ where: { projectId, target, name } })) > 0
  }

  /** The values that a target needs, from here or from the environment; what is missing is said. */
  async valuesFor(projectId: number, target: Target): Promise<Record<string, string>> {
    const stored: Record<string, string> = {}
    const rows = await this.rowsOf(projectId, target)
    for (const [name, source] of await this.sources(projectId, target)) {
      if (source === 'blocked')
        throw new Problem(
          409,
          'SEALED_OFF',
          `no administrator has confirmed that the secret "${name}" may go to the present addresses of ${target.name}: confirm it on the Targets page`,
        )
      if (source !== 'store') continue
      const sealed = rows.get(name)?.sealed ?? ''
      const value =
        this.key === undefined ? undefined : open(this.key, placeOfSecret(projectId, target.name, name), sealed)
      if (value === undefined)
        throw new Problem(409, 'WRONG_KEY', `the secret "${name}" was encrypted with another key: store it again`)
      stored[name] = value
    }
    const found = secretsOf(target, { environment: process.env, stored })
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

  private async rowsOf(projectId: number, { name }: Target): Promise<Map<string, SecretRow>> {
    const rows = await SecretRow.findAll({ where: { projectId, target: name } })
    return new Map(rows.map((row) => [row.name, row]))
  }
}

export type SecretSource = 'store' | 'environment' | 'blocked' | 'nowhere'

/** In place of a sealed value: the value is in the environment, and an administrator has confirmed where it may go. */
const CONFIRMED = ''

const isInEnvironment = (secret: string) => process.env[variableOf(secret)] !== undefined

/** Whether nothing of a target is beyond this machine: the one who may only write targets cannot listen here. */
const isHere = ({ origin, also, proxy, metrics }: Target) =>
  [
    origin,
    ...also,
    ...(proxy === undefined ? [] : [proxy]),
    ...metrics.map(({ url }) => new URL(url, origin).href),
  ].every(isLoopback)

/**
 * The addresses that a target's secrets may go to, as one text: who may change a target must not be able to send them
 * elsewhere.
 */
export function boundTo({ origin, also, proxy, tls, metrics }: Target): string {
  const metricUrls = metrics.map(({ url }) => url).toSorted()
  const words = JSON.stringify([origin, also.toSorted(), proxy ?? null, tls ?? null, metricUrls])
  return createHash('sha256').update(words).digest('hex')
}

export const placeOfSecret = (projectId: number, target: string, name: string) =>
  `${String(projectId)}/${target}/${name}`
