// Where everything of the load picture stands: phases in a band, arrivals and users over time, each on its scale.
import { curveOf, timeTicks, type CurvePoints, type Preview } from '@jolt-gate/core'
import { computed, type Ref } from 'vue'
import { grouped, rate } from '../text/figures.js'

export const HEIGHT = 176
export const BAND = 26
export const FOOT = 22
export const LEFT = 40

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function useLoadPicture(preview: Ref<Preview>, width: Ref<number>) {
  const x = (seconds: number) =>
    LEFT + (seconds / Math.max(preview.value.seconds, 1e-9)) * Math.max(0, width.value - LEFT - 6)
  const level = (value: number, most: number) =>
    HEIGHT - FOOT - (value / Math.max(most * 1.12, 1e-9)) * (HEIGHT - FOOT - BAND)
  const y = (value: number) => level(value, preview.value.peakRate)
  const secondsPerPixel = computed(() => preview.value.seconds / Math.max(1, width.value - LEFT - 6))
  const ratePerPixel = computed(() => (preview.value.peakRate * 1.12) / (HEIGHT - FOOT - BAND))
  const profile = computed(() => curveOf(preview.value))
  const pathOf = (line: CurvePoints, at: (value: number) => number) =>
    line.map(([seconds, value]) => `${x(seconds).toFixed(1)} ${at(value).toFixed(1)}`).join('L')
  const hasRates = computed(() => preview.value.peakRate > 0)
  const outline = computed(() => (hasRates.value ? pathOf(profile.value.rate, y) : ''))
  /** Users stand on a scale of their own, at the right where there are arrivals too. */
  const users = computed(() => {
    const most = preview.value.mostUsers
    return most === 0 ? '' : pathOf(profile.value.users, (value) => level(value, most))
  })
  /** Expected users in flight, by Little's law, on a scale of their own: its top is named. */
  const IN_FLIGHT_ROOM = 1.45
  const inFlightTop = computed(() => Math.max(...profile.value.inFlight.map(([, value]) => value), 0))
  const inFlight = computed(() => {
    const line = profile.value.inFlight
    return inFlightTop.value === 0 ? '' : pathOf(line, (value) => level(value, inFlightTop.value * IN_FLIGHT_ROOM))
  })
  const inFlightAt = computed((): [number, number] => {
    const line = profile.value.inFlight
    const top = line.filter(([, value]) => value >= inFlightTop.value * 0.98)
    const [seconds = 0] = top[Math.floor(top.length / 2)] ?? []
    const edge = 90
    return [
      Math.min(Math.max(x(seconds), LEFT + edge), Math.max(width.value - edge, LEFT + edge)),
      level(inFlightTop.value, inFlightTop.value * IN_FLIGHT_ROOM) - 5,
    ]
  })
  /** The phases of the common track stand in the band, or of the first where there is none. */
  const band = computed(() => {
    const first = preview.value.tracks[0]?.name ?? null
    return preview.value.phases.filter((phase) => phase.track === first)
  })
  const trackLines = computed(() =>
    profile.value.tracks.map(({ name, rate: line }) => ({
      name: name ?? 'common track',
      path: pathOf(line, y),
      labelY: y(Math.max(...line.map(([, value]) => value))) - 4,
    })),
  )
  const area = computed(() =>
    outline.value === ''
      ? ''
      : `M${String(x(0))} ${String(y(0))}L${outline.value}L${String(x(preview.value.seconds))} ${String(y(0))}Z`,
  )
  const ticks = computed(() => timeTicks(preview.value.seconds, 10))
  const rates = computed(() => {
    const peak = preview.value.peakRate
    return peak === 0 ? [] : [peak / 2, peak]
  })
  const usersLabel = ([from, to]: [number, number]) =>
    from === to ? `${grouped(to)} users` : `${grouped(from)} to ${grouped(to)} users`
  /** One label for a ladder would be cut by its levels: each level is named where it has room. */
  const labels = computed(() =>
    band.value.map((phase) => {
      const room = x(phase.toSeconds) - x(phase.fromSeconds) - 16
      const [from, to] = phase.rates
      const name = phase.name
      const what =
        phase.kind === 'rest'
          ? 'rest'
          : phase.kind === 'batch'
            ? `${String(phase.arrivals)} starts`
            : from === to
              ? phase.users[1] > 0
                ? usersLabel(phase.users)
                : `${rate(from)}/s`
              : `${rate(from)} to ${rate(to)}/s`
      const full = `${name} ${what}`
      return { name: room > name.length * 6.6 ? name : '', what: room > full.length * 6.6 ? what : '' }
    }),
  )
  return {
    ...{ x, y, level, secondsPerPixel, ratePerPixel, band, labels, ticks, rates, hasRates },
    ...{ outline, area, users, inFlight, inFlightAt, trackLines },
  }
}
