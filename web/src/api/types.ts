// What the server says. Its description is at /api/openapi.json.
import type { HeldLoad, Plan, Preview, Problem, RunResult, RunShape, Target, Verdict } from '@jolt-gate/core'

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
  /** Names and lines of its steps. */
  steps: { name: string; line: number }[]
  preview: Preview | null
  lastRun: RunSummary | null
}

export interface PlanText extends Head {
  file: string
  text: string
  base: string
  /** As it stands in the last commit; null when it is in none. */
  committed: string | null
  files: Record<string, string>
  history: {
    /** Mean time of each journey in the last run of this plan. */
    journeyMs: Record<string, number>
    held: (HeldLoad & { target: string })[]
    /** What gates of the last run saw, by their sentence. */
    observed: Record<string, string>
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
  /** Of a save that was refused: the text that is there now. */
  current?: string
  base?: string
}

export type Role = 'reader' | 'author' | 'administrator'
export interface Person {
  id: number
  name: string
  email: string
  role: Role
}
/** Who asks: somebody, nobody, or the first one of all, whom nobody has preceded. */
export type Session =
  | { kind: 'somebody'; person: Person; csrf: string }
  | { kind: 'nobody'; isDemo: boolean }
  | { kind: 'first'; isDemo: boolean }

export interface TokenLine {
  id: number
  label: string
  scopes: string[]
  expiresAt: string
  usedAt: string | null
}
export interface AuditEvent {
  id: number
  at: string
  who: string
  event: string
  detail: string
}

export interface TargetLine {
  name: string
  file: string
  text: string
  base: string
  target: Omit<Target, 'tls'> | null
  problems: Problem[]
  secrets: { name: string; from: 'store' | 'environment' | 'nowhere' }[]
  isLoopback: boolean
  /** Why it may not be loaded just now. */
  fault: string | null
}
export interface ControlLine {
  origin: string
  url: string
  token: string
  isProven: boolean
  why?: string
  approvedBy?: string
}
export interface MetricFamily {
  name: string
  type: string
  samples: { name: string; labels: Record<string, string>; value: number }[]
}

export interface CommitLine {
  commit: string
  at: string
  who: string
  message: string
  runs: { id: string; number: number; verdict: Verdict | null }[]
}

export interface RehearsedStep {
  stage: string
  step: string
  request: { method: string; url: string; headers: [string, string][]; body: string | null } | null
  response: { status: number; headers: [string, string][]; body: string; size: number } | null
  checks: { name: string; held: boolean; found: string[] }[]
  kept: { name: string; value: string }[]
  failure: { kind: string; detail: string } | null
  timing: Record<'dns' | 'connect' | 'tls' | 'firstByte' | 'receive', number | null> & { total: number }
}
export interface StoredRehearsal {
  id: string
  at: string
  passed: boolean
  canResume: boolean
  rehearsal: { plan: string; target: string; passed: boolean; steps: RehearsedStep[] }
}
export type RehearsalEvent =
  | { kind: 'begin'; id: string }
  | { kind: 'step'; step: RehearsedStep }
  | { kind: 'end'; id: string; passed: boolean }
  | { kind: 'fault'; detail: string }
