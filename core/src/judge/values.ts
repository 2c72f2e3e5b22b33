// Values of gates, for people.
import { GRADES } from '../language/grades.js'
import type { GateUnit } from '../plan/measures.js'

/**
 * A value of a gate with its unit, for people.
 *
 * @param value - in that unit; null for none, which is a dash
 */
export function formatValue(value: number | null, unit: GateUnit): string {
  if (value === null) return '–'
  switch (unit) {
    case 'ms':
      return formatMs(value)
    case '%':
      return `${value.toFixed(value !== 0 && value < 10 ? 2 : 1)} %`
    case '/s':
      return `${value.toFixed(value < 100 ? 1 : 0)}/s`
    case 'B/s':
      return value < 1e6 ? `${(value / 1e3).toFixed(1)} kB/s` : `${(value / 1e6).toFixed(1)} MB/s`
    case 'count':
      return String(Math.round(value))
    case 'score':
      return value.toFixed(3)
    case 'grade':
      return GRADES[value] ?? '–'
    case 'value':
      return Number(value.toPrecision(4)).toString()
    default:
      return unit satisfies never
  }
}

/** A time for people: three figures that matter. */
export function formatMs(ms: number): string {
  if (ms >= 10_000) return `${(ms / 1000).toFixed(1)} s`
  if (ms >= 1000) return `${(ms / 1000).toFixed(2)} s`
  return `${ms.toFixed(ms < 10 ? 2 : ms < 100 ? 1 : 0)} ms`
}
