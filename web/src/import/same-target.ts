// A plan that is imported goes against the target that the repository has for its origin, instead of one more.
import { readTarget } from '@jolt-gate/core'
import type { TargetLine } from '@jolt-gate/core/api'

interface ImportedFile {
  path: string
  text: string
}

export interface Aimed {
  files: ImportedFile[]
  /** The target that is there already; undefined where there is none, or none that will do. */
  target: string | undefined
  /** Secrets that the plan needs and the target of its origin does not have. */
  lacks: string[]
  /** Secrets of that target that have a value: an import does not write over them. */
  valued: string[]
}

const TARGET = /^target: (.*)$/m
const isTarget = ({ path }: ImportedFile) => path.endsWith('.target.yaml')

/** Aims imported files at one of the targets, where it has their origin and all that they need. */
export function aimedAt(files: readonly ImportedFile[], targets: readonly TargetLine[]): Aimed {
  const asMade: Aimed = { files: [...files], target: undefined, lacks: [], valued: [] }
  const own = files.find(isTarget)
  const made = own === undefined ? undefined : readTarget(own.path, own.text).target
  const origin = made?.origin ?? TARGET.exec(files[0]?.text ?? '')?.[1]?.replaceAll(/^["']|["']$/g, '')
  const there = targets.find(({ target }) => target !== null && target.origin === origin)
  if (there?.target == null) return asMade
  const { name, target } = there
  const lacks = (made?.secrets ?? []).filter((secret) => !target.secrets.includes(secret))
  const isEnough = lacks.length === 0 && (made?.also ?? []).every((one) => target.also.includes(one))
  if (!isEnough) return { ...asMade, lacks }
  return {
    files: files
      .filter((file) => !isTarget(file))
      .map((file, index) =>
        index === 0 ? { ...file, text: file.text.replace(TARGET, () => `target: ${name}`) } : file,
      ),
    target: name,
    lacks: [],
    valued: there.secrets.flatMap((secret) => (secret.from === 'nowhere' ? [] : [secret.name])),
  }
}
