// A plan as it is made from something else, before it is text.
import { writeEntry, type Written } from '../write/yaml-text.js'

export interface DraftSend {
  kind: 'send'
  name: string
  method: string
  /** RFC 6570 template. */
  url: string
  with: Record<string, Written>
  query: Record<string, Written>
  headers: Record<string, string>
  /** The key of the body and what stands under it. */
  body: { key: 'json' | 'form' | 'text' | 'xml' | 'multipart'; value: Written } | undefined
  auth: Record<string, Written> | undefined
  checks: string[]
  keeps: Record<string, string>
}
export type DraftStep = DraftSend | { kind: 'wait'; wait: string } | { kind: 'group'; name: string; steps: DraftStep[] }

export interface Draft {
  name: string
  about: string
  origin: string
  /** Further origins that requests go to. */
  also: string[]
  namespaces: Record<string, string>
  secrets: Record<string, string>
  setup: DraftStep[]
  journeys: { name: string; steps: DraftStep[] }[]
  /** Other files that the plan names, by path. */
  files: Record<string, string>
  /** What the person should know: what was left out, and why. */
  notes: string[]
}

export interface Imported {
  name: string
  /** Path and text of the plan, then of the target where it needs one, then of other files. */
  files: { path: string; text: string }[]
  /** Values that were taken out of the plan: they belong into the store of secrets, never into a file. */
  secrets: Record<string, string>
  steps: number
  notes: string[]
}

/** An empty draft against an origin. */
export function newDraft(name: string, origin: string): Draft {
  return {
    name,
    about: '',
    origin,
    also: [],
    namespaces: {},
    secrets: {},
    setup: [],
    journeys: [],
    files: {},
    notes: [],
  }
}

/** A request with nothing but a method, a URL and a name. */
export function newSend(method: string, url: string, name: string): DraftSend {
  return {
    kind: 'send',
    name,
    method,
    url,
    with: {},
    query: {},
    headers: {},
    body: undefined,
    auth: undefined,
    checks: [],
    keeps: {},
  }
}

/** A name for files: small letters, digits and dashes. */
export function fileName(name: string): string {
  return (
    name
      .normalize('NFKD')
      .toLowerCase()
      .replaceAll(/[^a-z0-9]+/g, '-')
      .replaceAll(/^-+|-+$/g, '')
      .slice(0, 60) || 'plan'
  )
}

/** Writes a draft as the files of a repository. */
export function writeDraft(draft: Draft): Imported {
  const name = fileName(draft.name)
  const needsTarget = draft.also.length > 0 || Object.keys(draft.secrets).length > 0
  const target = needsTarget ? name : draft.origin
  const files = [{ path: `plans/${name}.gate.yaml`, text: planText(draft, target) }]
  if (needsTarget) files.push({ path: `targets/${name}.target.yaml`, text: targetText(draft) })
  for (const [path, text] of Object.entries(draft.files)) files.push({ path, text })
  const steps = [draft.setup, ...draft.journeys.map((journey) => journey.steps)].flatMap(sendsIn).length
  return { name: draft.name, files, secrets: draft.secrets, steps, notes: draft.notes }
}

function sendsIn(steps: readonly DraftStep[]): DraftSend[] {
  return steps.flatMap((step) => (step.kind === 'group' ? sendsIn(step.steps) : step.kind === 'send' ? [step] : []))
}

function targetText(draft: Draft): string {
  return sections([
    ['origin', draft.origin],
    ...(draft.also.length === 0 ? [] : [['also', draft.also] satisfies [string, Written]]),
    ...(Object.keys(draft.secrets).length === 0
      ? []
      : [['secrets', Object.keys(draft.secrets)] satisfies [string, Written]]),
  ])
}

function planText(draft: Draft, target: string): string {
  const journeys = Object.fromEntries(
    draft.journeys.map(({ name, steps }) => [name, { steps: steps.map(writtenStep) }]),
  )
  const head: [string, Written][] = [
    ['jolt', 1],
    ['name', draft.name],
  ]
  if (draft.about !== '') head.push(['about', draft.about])
  head.push(['target', target])
  const rest: [string, Written][] = []
  if (Object.keys(draft.namespaces).length > 0) rest.push(['namespaces', draft.namespaces])
  if (draft.setup.length > 0) rest.push(['setup', draft.setup.map(writtenStep)])
  rest.push(
    ['journeys', journeys],
    ['load', [{ phase: 'visit', rate: '1/s', for: '30s' }]],
    ['gates', ['failed requests at most 1 %']],
  )
  return `${sections(head)}\n${rest.map((section) => sections([section])).join('\n')}`
}

function sections(entries: readonly [string, Written][]): string {
  return entries.map(([key, value]) => `${writeEntry(key, value, 0)}\n`).join('')
}

function writtenStep(step: DraftStep): Written {
  switch (step.kind) {
    case 'wait':
      return { wait: step.wait }
    case 'group':
      return { group: step.name, steps: step.steps.map(writtenStep) }
    case 'send':
      return writtenSend(step)
    default:
      return step satisfies never
  }
}

function writtenSend({ name, method, url, headers, body, auth, checks, keeps, ...rest }: DraftSend): Written {
  const some = (value: Record<string, Written>) => (Object.keys(value).length === 0 ? undefined : value)
  const parts: [string, Written | undefined][] = [
    ['send', `${method} ${url}`],
    ['name', name],
    ['with', some(rest.with)],
    ['query', some(rest.query)],
    ['headers', some(headers)],
    ...(body === undefined ? [] : [[body.key, body.value] satisfies [string, Written]]),
    ['auth', auth],
    ['check', checks.length === 0 ? undefined : checks],
    ['keep', some(keeps)],
  ]
  return Object.fromEntries(parts.filter((part): part is [string, Written] => part[1] !== undefined))
}
