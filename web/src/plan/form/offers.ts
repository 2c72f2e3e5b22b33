// What may be written in a text of the form.
import { completeSentence, namesKnown, type Shape, type Surroundings } from '@jolt-gate/core'

/** Whole texts that may come of what is written so far: names in braces, files, the rest of a sentence. */
export function offersFor(so: string, shape: Shape, around: Surroundings): string[] {
  const brace = /\{([\w.]*)$/.exec(so)
  if (brace !== null) return namesKnown(around).map((name) => `${so.slice(0, brace.index)}{${name}}`)
  if (shape.kind === 'file') return around.files.filter((path) => path.endsWith(shape.ending))
  if (shape.kind !== 'sentence') return []
  return completeSentence(shape.rule, so, around).map((rest) => so.slice(0, rest.from) + rest.text)
}
