// Figures as people read them.

// French groups digits by the thin blank that does not break, as the pages do.
const GROUPED = new Intl.NumberFormat('fr', { maximumFractionDigits: 0 })
const ONE_DIGIT = new Intl.NumberFormat('en', { maximumFractionDigits: 1, useGrouping: false })
const RELATIVE = new Intl.RelativeTimeFormat('en', { style: 'short', numeric: 'always' })

/** 8800 as "8 800", with thin blanks that do not break. */
export function grouped(value: number): string {
  return GROUPED.format(value)
}

/** A rate with as many digits as matter. */
export function rate(value: number): string {
  if (value >= 100) return grouped(value)
  // What is there is not written as nothing.
  return value > 0 && value < 0.95 ? String(Number(value.toPrecision(1))) : ONE_DIGIT.format(value)
}

/** Seconds as m:ss. */
export function clock(seconds: number): string {
  const whole = Math.round(seconds)
  return `${String(Math.floor(whole / 60))}:${String(whole % 60).padStart(2, '0')}`
}

/** Seconds in words: "4 min 50 s". */
export function lengthOf(seconds: number): string {
  const whole = Math.round(seconds)
  const [hours, minutes, rest] = [Math.floor(whole / 3600), Math.floor((whole % 3600) / 60), whole % 60]
  const parts = [
    hours > 0 ? `${String(hours)} h` : '',
    minutes > 0 ? `${String(minutes)} min` : '',
    rest > 0 || whole === 0 ? `${String(rest)} s` : '',
  ]
  return parts.filter((part) => part !== '').join(' ')
}

export function percent(share: number): string {
  const value = share * 100
  return `${value > 0 && value < 0.05 ? '<0.1' : value.toFixed(1)} %`
}

/** How long ago an instant was. */
export function ago(instant: string | null, now: number): string {
  if (instant === null) return ''
  const minutes = Math.round((now - Date.parse(instant)) / 60_000)
  if (minutes < 1) return 'just now'
  if (minutes < 60) return RELATIVE.format(-minutes, 'minute')
  const hours = Math.round(minutes / 60)
  return hours < 48 ? RELATIVE.format(-hours, 'hour') : RELATIVE.format(-Math.round(hours / 24), 'day')
}

/** A count with its noun, such as "1 line" or "1,200 lines". */
export function counted(count: number, noun: string): string {
  return `${grouped(count)} ${noun}${count === 1 ? '' : 's'}`
}
