// Ready-made loads: an ordinary load section from three numbers.

export const PROFILES = ['smoke', 'typical', 'stress', 'spike', 'soak'] as const
export type Profile = (typeof PROFILES)[number]

/** What each kind is for, in the order in which they are used. */
export const PROFILE_PURPOSES: Record<Profile, string> = {
  smoke: 'one user, one minute at most: is the plan valid, and does the target answer?',
  typical: 'ramp up, hold the usual load, ramp down: does an ordinary day hold?',
  stress: 'go beyond the usual load and hold: how much headroom is there?',
  spike: 'a short jump, then the usual load: does the service recover by itself?',
  soak: 'the usual load for hours: does anything leak or fill up?',
}

export interface ProfileSize {
  kind: 'rate' | 'users'
  /** Per second, or users at once. */
  usual: number
  /** Of stress and spike. */
  peak: number
  /** Of the whole load, in seconds. */
  seconds: number
}

/**
 * The load section as YAML, to stand in a plan. Its numbers are whole where users are counted.
 *
 * @param size - rates per second or users, and lengths in seconds
 */
export function profileLoad(kind: Profile, size: ProfileSize): string {
  return `load:\n${phasesOf(kind, size)
    .map((phase) => `  - { ${phase} }`)
    .join('\n')}\n`
}

function phasesOf(kind: Profile, { kind: model, usual, peak, seconds }: ProfileSize): string[] {
  const level = (value: number) =>
    model === 'rate' ? `${String(Number(value.toPrecision(6)))}/s` : String(Math.max(1, Math.round(value)))
  const zero = model === 'rate' ? '0/s' : '0'
  const held = (name: string, value: number, share: number, more = '') =>
    `phase: ${name}, ${model}: ${level(value)}, for: ${durationOf(seconds * share)}${more}`
  const change = (name: string, from: number, to: number, share: number, more = '') =>
    `phase: ${name}, ${model}: ${from === 0 ? zero : level(from)} to ${to === 0 ? zero : level(to)}, for: ${durationOf(seconds * share)}${more}`
  const unmeasured = ', measure: no'
  switch (kind) {
    case 'smoke':
      return [`phase: smoke, users: 1, for: ${durationOf(Math.min(60, seconds))}`]
    case 'typical':
      return [
        change('rise', 0, usual, 0.2, unmeasured),
        held('usual', usual, 0.7),
        change('fall', usual, 0, 0.1, unmeasured),
      ]
    case 'stress':
      return [
        change('rise', 0, usual, 0.1, unmeasured),
        held('usual', usual, 0.2),
        change('beyond', usual, peak, 0.1),
        held('stress', peak, 0.5),
        change('fall', peak, 0, 0.1, unmeasured),
      ]
    case 'spike':
      return [
        held('before', usual, 0.3),
        held('spike', peak, 0.1),
        held('after', usual, 0.3),
        held('watch', usual, 0.3),
      ]
    case 'soak':
      return [change('rise', 0, usual, 0.02, unmeasured), held('soak', usual, 0.98)]
    default:
      return kind satisfies never
  }
}

/** A duration as people write it: whole seconds where it can be. */
export function durationOf(seconds: number): string {
  const whole = Math.max(1, Math.round(seconds))
  const [h, m, s] = [Math.floor(whole / 3600), Math.floor((whole % 3600) / 60), whole % 60]
  return [h > 0 ? `${String(h)}h` : '', m > 0 ? `${String(m)}m` : '', s > 0 ? `${String(s)}s` : '']
    .filter((part) => part !== '')
    .join(' ')
}

/** What was held before, of runs of the same target that ended open. */
export interface HeldLoad {
  peakRate: number
  mostUsers: number
  seconds: number
}

/** By how much a load may outgrow what has held before it is worth a word. */
const MOST_GROWTH = 2

/**
 * Says when a larger load is about to run before a smaller one has held.
 *
 * @param load - of the plan that is about to run
 * @param held - loads that held; none means that nothing was tried yet
 */
export function growthWarning(load: HeldLoad, held: readonly HeldLoad[]): string | undefined {
  const isSmall = load.seconds <= 60 && load.peakRate <= 1 && load.mostUsers <= 1
  if (isSmall || load.seconds <= 10) return undefined
  const most = (of: (load: HeldLoad) => number) => Math.max(0, ...held.map(of))
  if (held.length === 0) return 'no run against this target was open yet: run a smoke load of one user first'
  const [rate, users] = [most((one) => one.peakRate), most((one) => one.mostUsers)]
  const digits = (value: number) => String(Number(value.toPrecision(3)))
  const grown =
    load.peakRate > MOST_GROWTH * Math.max(rate, 1)
      ? { now: `${digits(load.peakRate)}/s`, had: `${digits(rate)}/s` }
      : load.mostUsers > MOST_GROWTH * Math.max(users, 1)
        ? { now: `${String(load.mostUsers)} concurrent users`, had: users === 0 ? 'none' : String(users) }
        : undefined
  if (grown !== undefined)
    return `this load reaches ${grown.now}; the most that was open against this target is ${grown.had}: try a load in between first`
  return undefined
}
