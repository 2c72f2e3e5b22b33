// Times of a schedule: a cron expression in a time zone.
import { Cron } from 'croner'

export interface Schedule {
  cron: string
  zone: string
}

/** A schedule that comes after it, comes. */
const ANY_DAY_MS = Date.UTC(2026, 0, 1)

/** What is wrong with a schedule, in words; undefined where nothing is. */
export function scheduleFault({ cron, zone }: Schedule): string | undefined {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone })
  } catch {
    return `"${zone}" is no time zone: use a name such as Europe/Oslo, or UTC`
  }
  if (cron.trim().split(/\s+/).length !== 5)
    return `"${cron}" must have five parts: minute, hour, day, month, day of the week, such as "30 2 * * Mon-Fri"`
  try {
    if (nextTime({ cron, zone }, ANY_DAY_MS) === undefined) return `"${cron}" never comes`
  } catch (error) {
    return `"${cron}" cannot be read: ${error instanceof Error ? error.message.replace(/^Cron\w+: /, '') : ''}`
  }
  return undefined
}

/**
 * The next time of a schedule after a moment, both in ms since 1970; undefined where there is none. A time that does
 * not exist, since clocks are put forward, comes when they are; one that comes twice counts once.
 *
 * @param afterMs - the next is later than this
 */
export function nextTime({ cron, zone }: Schedule, afterMs: number): number | undefined {
  return new Cron(cron, { timezone: zone, paused: true }).nextRun(new Date(afterMs))?.getTime()
}
