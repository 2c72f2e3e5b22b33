// Reads the plan, works out its load and what changed, away from the page, so that typing stays smooth.
import {
  planChanges,
  previewOf,
  readPlan,
  treeOf,
  type Plan,
  type PlanChange,
  type Preview,
  type Problem,
  type Target,
  type TreeNode,
} from '@jolt-gate/core'

export interface ReadRequest {
  number: number
  file: string
  text: string
  files: Record<string, string>
  journeyMs: Record<string, number>
  /** The text in the last commit. */
  committed: string | null
}

export interface PlanView {
  number: number
  plan: Plan
  target: Target | null
  problems: Problem[]
  hasErrors: boolean
  preview: Preview | null
  /** The nodes of the text, for the form. */
  tree: TreeNode | null
  /** What changed since the commit, in the plan's own words. */
  changes: PlanChange[]
}

self.onmessage = ({ data }: MessageEvent<ReadRequest>) => {
  const files = (path: string) => data.files[path]
  const { plan, target, problems, hasErrors } = readPlan(data.file, data.text, { files })
  const isChanged = data.committed !== null && data.committed !== data.text
  const changes = isChanged ? planChanges(readPlan(data.file, data.committed ?? '', { files }).plan, plan) : []
  const preview =
    hasErrors && problems.some((problem) => problem.severity === 'error' && plan.load.phases.length === 0)
      ? null
      : previewOf(plan, new Map(Object.entries(data.journeyMs)))
  const warnings = hasErrors ? [] : (preview?.warnings ?? [])
  const view: PlanView = {
    number: data.number,
    plan,
    target: target ?? null,
    problems: [
      ...problems,
      ...warnings.map(({ line, message }): Problem => ({
        severity: 'warning',
        code: 'WARNING',
        message,
        file: data.file,
        line,
        column: 1,
      })),
    ],
    hasErrors,
    preview,
    tree: treeOf(data.text) ?? null,
    changes,
  }
  self.postMessage(view)
}
