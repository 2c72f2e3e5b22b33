// The store of secrets: written, used by runs and rehearsals, never read back.
import type { Target } from '@jolt-gate/core'
import { secretsOf } from '@jolt-gate/engine'
import { SecretRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { open, seal, type SealKey } from './seal.js'

export class SecretStore {
  constructor(private readonly key: SealKey | undefined) {}

  async names(projectId: number, target: string): Promise<string[]> {
    const rows = await SecretRow.findAll({ where: { projectId, target }, attributes: ['name'] })
    return rows.map(({ name }) => name)
  }

  async write(projectId: number, target: string, name: string, value: string): Promise<void> {
    if (this.key === undefined)
      throw new Problem(409, 'NO_KEY', 'no key for secrets: start the server with --key-file, or set JOLT_GATE_KEY')
    await SecretRow.upsert({ projectId, target, name, sealed: seal(this.key, placeOf(projectId, target, name), value) })
  }

  async forget(projectId: number, target: string, name: string): Promise<boolean> {
    return (await SecretRow.destroy({ where: { projectId, target, name } })) > 0
  }

  /** The values that a target needs, from here or from the environment; what is missing is said. */
  async valuesFor(projectId: number, target: Target): Promise<Record<string, string>> {
    const stored: Record<string, string> = {}
    const rows = this.key === undefined ? [] : await SecretRow.findAll({ where: { projectId, target: target.name } })
    for (const { name, sealed } of rows) {
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

const placeOf = (projectId: number, target: string, name: string) => `${String(projectId)}/${target}/${name}`
