// What each verb takes from the command line, as `main.ts` declares it.

export interface ValidateArguments {
  target?: string
  set: Record<string, string>
}

export interface PreviewArguments {
  target?: string
  set: Record<string, string>
  scale: number
  last?: string
  json?: string
}

export interface RehearseArguments {
  journey?: string
  waits?: boolean
  target?: string
  set: Record<string, string>
  seed?: number
  json?: string
}

export interface ImportArguments {
  name?: string
  folder: string
  force: boolean
  origins?: string[]
  waits: string
  byPage: boolean
  origin?: string
  operations?: string[]
}

export interface RunArguments {
  target?: string
  set: Record<string, string>
  seed?: number
  scale: number
  baseline?: string[]
  json?: string
  junit?: string
  markdown?: string
  html?: string
  csv?: string
  rate?: string
  for?: string
  users?: number
  iterations?: number
  wait?: string
  gate?: string[]
  repeat?: number
  retryVoid?: number
  out?: string
  requests?: string
  otlp?: string
  to?: string
  onVoid: 'pass' | 'fail' | 'skip'
  strict?: boolean
  label: Record<string, string>
  commit?: string
  branch?: string
  fleet?: string
  fleetKey?: string
  generators?: number
  all?: boolean
}

export interface CapacityArguments {
  range?: string
  users?: string
  atLeast?: string
  exact?: string
  hold?: string
  within?: string
  target?: string
  set: Record<string, string>
  seed?: number
  json?: string
  fleet?: string
  fleetKey?: string
  generators?: number
}

export interface AdmitArguments {
  stage: string
  commit?: string
  pipeline?: string
  to: string
  json?: string
}

export interface Output {
  quiet: boolean
  color: boolean
}
