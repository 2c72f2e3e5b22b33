// What the server says. Its description is at /api/openapi.json.
import type { HeldLoad, Plan, Preview, Problem, RunResult, RunShape, Verdict } from '@jolt-gate/core'

export interface Project {
  id: number
  name: string
}

export interface Head {
  commit: string | null
  branch: string | null
  dirty: boolean
}

export type RunState = 'waiting' | 'setup' | 'load' | 'teardown' | 'ended'

export interface RunSummary extends Head {
  id: string
  number: number
  planFile: string
  planName: string
  targetName: string
  origin: string
  state: RunState
  verdict: Verdict | null
  reasons: string[]
  askedAt: string
  startedAt: string | null
  endedAt: string | null
  seconds: number
  spark: { due: number[]; p95: (number | null)[] }
  gates: { all: number; breached: number } | null
  requests: number | null
  failedShare: number | null
  p95: number | null
}

export interface RunDetail extends RunSummary {
  projectId: number
  plan: Plan
  shape: RunShape
  result: RunResult | null
}

export interface PlanSummary {
  file: string
  name: string
  about: string
  target: string | null
  journeys: number
  gates: number
  errors: number
  preview: Preview | null
  lastRun: RunSummary | null
}

export interface PlanText extends Head {
  file: string
  text: string
  base: string
  files: Record<string, string>
  history: {
    /** Mean time of each journey in the last run of this plan. */
    journeyMs: Record<string, number>
    held: (HeldLoad & { target: string })[]
  }
}

export interface Saved extends Head {
  file: string
  base: string
}

export interface ApiProblem {
  title: string
  detail: string
  code: string
  status: number
  problems?: Problem[]
}
