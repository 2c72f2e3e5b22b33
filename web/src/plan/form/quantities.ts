// Rates and durations as a number and a unit.

export type QuantityKind = 'rate' | 'time'

export const UNITS: Readonly<Record<QuantityKind, readonly { unit: string; label: string }[]>> = {
  rate: [
    { unit: '/s', label: 'per second' },
    { unit: '/min', label: 'per minute' },
    { unit: '/h', label: 'per hour' },
  ],
  time: [
    { unit: 'ms', label: 'ms' },
    { unit: 's', label: 'seconds' },
    { unit: 'm', label: 'minutes' },
    { unit: 'h', label: 'hours' },
  ],
}

/** Other spellings that the format takes. */
const SAME: Readonly<Record<string, string>> = { min: 'm', '/m': '/min' }

/** The parts of a text such as `5/s` or `1m`; undefined for one that is no plain number with a unit. */
export function quantityOf(text: string, kind: QuantityKind): { number: string; unit: string } | undefined {
  const [, number, written = ''] = /^(\d+(?:\.\d+)?)\s*(\/?[a-z]+)$/.exec(text.trim()) ?? []
  const unit = SAME[written] ?? written
  return number !== undefined && UNITS[kind].some((one) => one.unit === unit) ? { number, unit } : undefined
}
