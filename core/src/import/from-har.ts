// Chosen entries of a recording as a draft.
import { correlate, type Exchange } from './correlate.js'
import { hideCredentials } from './credentials.js'
import { newDraft, writeDraft, type DraftStep, type Imported } from './draft.js'
import { ImportFault } from './fault.js'
import type { HarEntry, HarReading } from './har.js'
import { stepOfRequest } from './request.js'
import { nameOf, uniqueName } from './url.js'

export const WAITS = ['kept', 'rounded', 'around', 'none'] as const
export interface HarChoice {
  name: string
  /** Origins whose requests are taken. */
  origins: readonly string[]
  /** Numbers of entries that are taken although they would be left out, or left out although they would be taken. */
  turned?: ReadonlySet<number>
  waits: (typeof WAITS)[number]
  byPage: boolean
}

/**
 * A choice that suits most recordings: the host of the first page, waits around what was recorded.
 *
 * @param name - of the plan
 */
export function usualChoice(reading: HarReading, name: string): HarChoice {
  return { name, origins: reading.hosts.slice(0, 1).map(({ origin }) => origin), waits: 'around', byPage: true }
}

/**
 * Why an entry is not taken, or undefined when it is.
 *
 * @param choice - the hosts that are taken, and the entries that a person turned over
 */
export function leftOutOf(
  entry: HarEntry,
  { origins, turned }: Pick<HarChoice, 'origins' | 'turned'>,
): HarEntry['leftOut'] {
  const usual = origins.includes(entry.request.url.origin) ? entry.leftOut : 'other host'
  if (turned?.has(entry.number) !== true) return usual
  return usual === undefined ? 'static file' : undefined
}

const LEAST_WAIT_MS = 500

/**
 * Makes the files of a plan from a recording.
 *
 * @param choice - which entries, and what becomes of the waits between them
 * @throws ImportFault where nothing is chosen
 */
export function importHar(reading: HarReading, choice: HarChoice): Imported {
  const chosen = reading.entries.filter((entry) => leftOutOf(entry, choice) === undefined)
  const [first] = chosen
  if (first === undefined) throw new ImportFault('nothing of the recording is selected: choose more hosts or entries')
  const draft = newDraft(choice.name, first.request.url.origin)
  const names = new Set<string>()
  const exchanges = chosen.map((entry): Exchange & { entry: HarEntry } => {
    const step = stepOfRequest(entry.request, draft)
    const { status, responseText, type, responseHeaders } = entry.answer ?? entry
    if (status >= 200 && status < 300) step.checks.push(`status is ${String(status)}`)
    return { entry, step, text: responseText, type, headers: responseHeaders }
  })
  const kept = correlate(exchanges)
  for (const { step } of exchanges)
    step.name = uniqueName(nameOf(step.method, step.url.replace(/^https?:\/\/[^/]+/, '')), names)
  draft.journeys.push({ name: 'visit', steps: stepsOf(exchanges, reading.pages, choice) })
  const left = new Map<string, number>()
  for (const entry of reading.entries) {
    const why = leftOutOf(entry, choice)
    if (why !== undefined) left.set(why, (left.get(why) ?? 0) + 1)
  }
  draft.notes.push(...[...left].map(([why, count]) => `left out: ${String(count)} × ${why}`))
  if (kept > 0) draft.notes.push(`${String(kept)} values of requests came from earlier responses and are kept there`)
  hideCredentials(draft)
  return writeDraft(draft)
}

/** Steps by page, with the waits between them. */
function stepsOf(
  exchanges: readonly (Exchange & { entry: HarEntry })[],
  pages: ReadonlyMap<string, string>,
  { byPage, waits }: HarChoice,
): DraftStep[] {
  const steps: DraftStep[] = []
  const titles = new Set<string>()
  let group: { page: string; steps: DraftStep[] } | undefined
  let lastEndMs: number | undefined
  for (const { entry, step } of exchanges) {
    const wait = lastEndMs === undefined ? undefined : waitOf(entry.startedMs - lastEndMs, waits)
    lastEndMs = Math.max(lastEndMs ?? 0, entry.endedMs)
    if (group !== undefined && (!byPage || group.page !== entry.page)) {
      steps.push(...closed(group, pages, titles))
      group = undefined
    }
    if (!byPage || entry.page === '') {
      if (wait !== undefined) steps.push({ kind: 'wait', wait })
      steps.push(step)
      continue
    }
    if (group === undefined && wait !== undefined) steps.push({ kind: 'wait', wait })
    else if (group !== undefined && wait !== undefined) group.steps.push({ kind: 'wait', wait })
    group ??= { page: entry.page, steps: [] }
    group.steps.push(step)
  }
  if (group !== undefined) steps.push(...closed(group, pages, titles))
  return steps
}

/** A page of one request is that request. */
function closed(
  group: { page: string; steps: DraftStep[] },
  pages: ReadonlyMap<string, string>,
  titles: Set<string>,
): DraftStep[] {
  if (group.steps.length === 1) return group.steps
  const title = pages.get(group.page) ?? group.page
  const path = URL.canParse(title) ? nameOf('GET', new URL(title).pathname) : title
  return [{ kind: 'group', name: uniqueName(`page ${path}`.slice(0, 80), titles), steps: group.steps }]
}

/** The pause between two requests, as a person made it; none where a browser went on by itself. */
function waitOf(ms: number, waits: HarChoice['waits']): string | undefined {
  if (waits === 'none' || ms < LEAST_WAIT_MS) return undefined
  const seconds = ms / 1000
  const tenths = (value: number) => `${String(Math.round(value * 10) / 10)}s`
  if (waits === 'kept') return tenths(seconds)
  if (waits === 'rounded') return `${String(Math.max(1, Math.round(seconds)))}s`
  return `${tenths(Math.max(0.1, seconds * 0.5))} to ${tenths(seconds * 1.5)}`
}
