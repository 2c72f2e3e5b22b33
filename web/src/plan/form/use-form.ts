// What the form knows of the plan: its nodes, what surrounds them, and how a change is made.
import type { Edit, Path, Problem, Renamed, Surroundings, TreeNode } from '@jolt-gate/core'
import type { InjectionKey, Ref } from 'vue'
import type { RehearsedStep } from '@jolt-gate/core'
import type { FormFaults } from './use-faults.js'

export interface PlanForm {
  file: Ref<string>
  tree: Ref<TreeNode | null>
  problems: Ref<Problem[]>
  around: Ref<Surroundings | undefined>
  /** Steps of the last rehearsal, whose responses values can be picked from. */
  rehearsed: Ref<readonly RehearsedStep[]>
  /** What gates saw in the last run, by their sentence. */
  observed: Ref<Readonly<Record<string, string>>>
  /** Texts of the files around the plan by path; of data the first rows. */
  files: Ref<Readonly<Record<string, string>>>
  project: Ref<number>
  mayWrite: Ref<boolean>
  /** Commits a new file beside the plan. */
  addFile: (path: string, text: string) => Promise<void>
  /** Reads the files around the plan anew. */
  readFiles: () => Promise<void>
  edit: (edit: Edit) => void
  /** What is typed here and cannot be read yet. */
  faults: FormFaults
  /** Renames with all uses. */
  rename: (kind: Renamed, before: string, after: string) => void
  select: (line: number) => void
  /** Selects the part that stands at a path now. */
  selectPath: (path: Path) => void
}

export const PLAN_FORM: InjectionKey<PlanForm> = Symbol('form of a plan')

/** The part of a plan that a place belongs to: the plan itself, a journey, a step, a phase, a gate. */
export function partOf(path: Path): Path {
  const [section] = path
  if (section === undefined) return []
  if (section === 'load' || section === 'gates') return path.length > 1 ? path.slice(0, 2) : [section]
  if (section === 'values' || section === 'data' || section === 'defaults') return [section]
  if (section === 'journeys' || section === 'setup' || section === 'teardown') return stepIn(path)
  return []
}

const STEP_LISTS = ['steps', 'setup', 'teardown', 'parallel', 'else', 'pick', 'load']

/** The innermost step of a path, or the journey. */
function stepIn(path: Path): Path {
  let end = path[0] === 'journeys' ? Math.min(2, path.length) : 1
  for (let index = 1; index < path.length; index++) {
    const isItem = typeof path[index] === 'number' && STEP_LISTS.includes(String(path[index - 1]))
    if (isItem) end = index + 1
  }
  return path.slice(0, end)
}
