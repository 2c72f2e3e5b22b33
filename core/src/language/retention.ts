// How long runs are kept, as an administrator writes it: "keep 90 days, open runs of main for ever".

/** A rule: runs that match it are kept so long; Infinity for ever. */
export interface KeepRule {
  days: number
  /** Undefined for all runs. */
  only:
    | { isOpen: boolean; branch: string | undefined; label: { name: string; value: string | undefined } | undefined }
    | undefined
}

export type RetentionRead = { ok: true; rules: KeepRule[] } | { ok: false; fault: string }

const ALL = /^keep (\d{1,5}) days?$/
const SOME =
  /^(?:keep )?(open )?runs(?: of (\S{1,200}))?(?: with label ([\w.-]{1,100})(?:=(\S{1,200}))?)? (?:for ever|for (\d{1,5}) days?)$/

/**
 * Reads a rule; an empty one keeps all. The first part says how long all runs are kept, further ones what is kept
 * longer.
 */
export function readRetention(text: string): RetentionRead {
  const parts = text
    .split(',')
    .map((part) => part.trim().replaceAll(/\s+/g, ' '))
    .filter((part) => part !== '')
  const rules: KeepRule[] = []
  for (const [index, part] of parts.entries()) {
    const rule = index === 0 ? readAll(part) : readSome(part)
    if (typeof rule === 'string') return { ok: false, fault: rule }
    rules.push(rule)
  }
  return { ok: true, rules }
}

function readAll(part: string): KeepRule | string {
  const days = Number(ALL.exec(part)?.[1] ?? 0)
  return days < 1
    ? `"${part}": the rule begins with how long runs are kept, such as "keep 90 days"`
    : { days, only: undefined }
}

function readSome(part: string): KeepRule | string {
  const found = SOME.exec(part)
  const [, open, branch, name, value, days] = found ?? []
  if (found === null || (open === undefined && branch === undefined && name === undefined))
    return `"${part}": further parts say which runs are kept longer, such as "open runs of main for ever", "runs of release for 365 days" or "runs with label build=209 for ever"`
  return {
    days: days === undefined ? Infinity : Number(days),
    only: { isOpen: open !== undefined, branch, label: name === undefined ? undefined : { name, value } },
  }
}

/** Rules as they are written. */
export function retentionWritten(rules: readonly KeepRule[]): string {
  return rules
    .map(({ days, only }) => {
      if (only === undefined) return `keep ${daysWords(days)}`
      const { isOpen, branch, label } = only
      const named =
        label === undefined ? '' : ` with label ${label.name}${label.value === undefined ? '' : `=${label.value}`}`
      const length = days === Infinity ? 'for ever' : `for ${daysWords(days)}`
      return `${isOpen ? 'open ' : ''}runs${branch === undefined ? '' : ` of ${branch}`}${named} ${length}`
    })
    .join(', ')
}

const daysWords = (days: number): string => `${String(days)} ${days === 1 ? 'day' : 'days'}`

/** What of a run a rule asks. */
export interface KeptRun {
  askedAt: Date
  verdict: string | null
  branch: string | null
  labels: Readonly<Record<string, string>>
}

const DAY_MS = 86_400_000

/**
 * Whether no rule keeps a run any longer.
 *
 * @param now - in ms since 1970
 * @returns false where no rule matches the run: it is kept for good
 */
export function isDue(rules: readonly KeepRule[], run: KeptRun, now: number): boolean {
  const days = rules.filter(({ only }) => matches(only, run)).map((rule) => rule.days)
  return days.length > 0 && now - run.askedAt.getTime() > Math.max(...days) * DAY_MS
}

function matches(only: KeepRule['only'], { verdict, branch, labels }: KeptRun): boolean {
  if (only === undefined) return true
  if (only.isOpen && verdict !== 'open') return false
  if (only.branch !== undefined && only.branch !== branch) return false
  if (only.label === undefined) return true
  const value = labels[only.label.name]
  return value !== undefined && (only.label.value === undefined || only.label.value === value)
}
