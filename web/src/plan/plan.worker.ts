// Reads the plan and works out its load, away from the page, so that typing stays smooth.
import { previewOf, readPlan, type Plan, type Preview, type Problem, type Target } from '@jolt-gate/core'

export interface ReadRequest {
  number: number
  file: string
  text: string
  files: Record<string, string>
  journeyMs: Record<string, number>
}

export interface PlanView {
  number: number
  plan: Plan
  target: Target | null
  problems: Problem[]
  hasErrors: boolean
  preview: Preview | null
}

self.onmessage = ({ data }: MessageEvent<ReadRequest>) => {
  const { plan, target, problems, hasErrors } = readPlan(data.file, data.text, { files: (path) => data.files[path] })
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
  }
  self.postMessage(view)
}
