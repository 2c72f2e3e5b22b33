// The permission to load a target that is not on loopback: who gives it, how much, when, and until when.
import ipaddr from 'ipaddr.js'
import type { Permission, Target } from './target-model.js'

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const SPAN =
  /^(?:(Mon|Tue|Wed|Thu|Fri|Sat|Sun)(?:\s+to\s+(Mon|Tue|Wed|Thu|Fri|Sat|Sun))?\s+)?([01]\d|2[0-3]):([0-5]\d)\s+to\s+([01]\d|2[0-4]):([0-5]\d)$/

/** Days from 0 for Monday, and minutes of the day, in UTC. */
export interface HoursSpan {
  days: number[]
  fromMinute: number
  toMinute: number
}

/**
 * Reads such as `Mon to Fri 06:00 to 18:00, Sat 22:00 to 05:00`, in UTC; without days it is every day. A span may go
 * over midnight.
 *
 * @returns the spans, or the part that is none
 */
export function parseHours(text: string): HoursSpan[] | string {
  const spans: HoursSpan[] = []
  for (const part of text.split(',').map((one) => one.trim())) {
    const [, first, last, fromHour, fromMinute, toHour, toMinute] = SPAN.exec(part) ?? []
    const [from, to] = [60 * Number(fromHour) + Number(fromMinute), 60 * Number(toHour) + Number(toMinute)]
    if (fromHour === undefined || to > 24 * 60 || from === to) return part
    const start = first === undefined ? 0 : DAYS.indexOf(first)
    const end = first === undefined ? 6 : DAYS.indexOf(last ?? first)
    const days = Array.from({ length: ((end - start + 7) % 7) + 1 }, (_, day) => (start + day) % 7)
    if (from < to) spans.push({ days, fromMinute: from, toMinute: to })
    else {
      spans.push({ days, fromMinute: from, toMinute: 24 * 60 })
      spans.push({ days: days.map((day) => (day + 1) % 7), fromMinute: 0, toMinute: to })
    }
  }
  return spans
}

/** Loopback may be loaded freely: 127.0.0.0/8, ::1 and localhost (RFC 6761). */
export function isLoopback(origin: string): boolean {
  const host = new URL(origin).hostname
  return host === 'localhost' || isLoopbackAddress(host.replace(/^\[(.*)\]$/, '$1'))
}

/** Whether an address of IPv4 or IPv6, an IPv4 address in IPv6 included, is on loopback. */
export function isLoopbackAddress(address: string): boolean {
  return ipaddr.isValid(address) && ipaddr.process(address).range() === 'loopback'
}

/** The origins of a target that need a permission; its proxy gets all of the load, too. */
export function originsToPermit({ origin, also, proxy }: Target): string[] {
  const through = proxy === undefined ? [] : [new URL(proxy).origin]
  return [...new Set([origin, ...also, ...through])].filter((one) => one !== '' && !isLoopback(one))
}

export interface AskedLoad {
  /** The most arrivals per second; 0 for a rehearsal. */
  peakRate: number
  /** The most requests per second. */
  peakRequestRate: number
  /** The most users who come again, whose rate is not known beforehand. */
  mostUsers: number
  seconds: number
}

/**
 * Why a load may not go to a target now; undefined when it may, or when the target is on loopback.
 *
 * Control of the origins is another question, which only a request can answer.
 *
 * @param load - what is asked for: rates per second, users, and seconds
 */
export function permissionFault(target: Target, load: AskedLoad, now: Date): string | undefined {
  const [outside] = originsToPermit(target)
  if (outside === undefined) return undefined
  const { permission } = target
  if (permission === undefined)
    return `${outside} is not on loopback: it may be loaded only with a permission in its target file and proof of control`
  return outOfTime(permission, now, load.seconds) ?? tooMuch(permission, load)
}

function outOfTime({ until, hours }: Permission, now: Date, seconds: number): string | undefined {
  const end = new Date(now.getTime() + 1000 * seconds)
  if (end.toISOString().slice(0, 10) > until) return `the permission ended with ${until}`
  const spans = hours === undefined ? undefined : parseHours(hours)
  if (spans === undefined || typeof spans === 'string') return undefined
  const isWithin = (moment: Date) => {
    const day = (moment.getUTCDay() + 6) % 7
    const minute = 60 * moment.getUTCHours() + moment.getUTCMinutes()
    return spans.some((span) => span.days.includes(day) && minute >= span.fromMinute && minute < span.toMinute)
  }
  if (!isWithin(now))
    return `the permission is for ${hours ?? ''} (UTC), and it is ${now.toISOString().slice(11, 16)} on a ${DAYS[(now.getUTCDay() + 6) % 7] ?? ''}`
  return isWithin(end)
    ? undefined
    : `the permission is for ${hours ?? ''} (UTC), and this load would last until ${end.toISOString().slice(11, 16)}`
}

function tooMuch({ ratePerSecond }: Permission, load: AskedLoad): string | undefined {
  const { peakRate, peakRequestRate, mostUsers } = load
  if (mostUsers > 0)
    return `the permission is for at most ${String(ratePerSecond)}/s, and the rate of concurrent users is not known beforehand`
  const peak = Math.round(Math.max(peakRate, peakRequestRate) * 1000) / 1000
  return peak > ratePerSecond
    ? `the load reaches ${String(peak)} ${peakRequestRate >= peakRate ? 'requests' : 'arrivals'}/s, and the permission is for at most ${String(ratePerSecond)}/s`
    : undefined
}

/** What a rehearsal asks for. */
export const NO_LOAD: AskedLoad = { peakRate: 0, peakRequestRate: 0, mostUsers: 0, seconds: 0 }

/**
 * What a permission says, as one text: proof of control of a target is proof for these very words.
 *
 * @param origin - that is permitted
 */
export function permissionText(origin: string, permission: Permission): string {
  const { by, ratePerSecond, hours, until } = permission
  return JSON.stringify(['jolt-gate', 1, origin, by, ratePerSecond, hours ?? null, until])
}
