// `load`: a ready-made load section on standard output, to be put into a plan.
import { PROFILES, PROFILE_PURPOSES, readSentence, profileLoad } from '@jolt-gate/core'
import { EXIT, UsageError } from './errors.js'

export function writeLoad(kindName: string, options: { usual: string; peak?: string; for: string }): number {
  const kind = PROFILES.find((known) => known === kindName)
  if (kind === undefined) throw new UsageError(`a profile is one of ${PROFILES.join(', ')}`)
  const usual = levelOf('--usual', options.usual)
  const peak = options.peak === undefined ? { ...usual, value: 3 * usual.value } : levelOf('--peak', options.peak)
  if (peak.kind !== usual.kind) throw new UsageError('--usual and --peak must both be rates, or both be users')
  if (peak.value < usual.value) throw new UsageError('--peak is below --usual')
  const length = readSentence('DurationOnly', options.for)
  if (!length.ok) throw new UsageError(`--for: ${length.fault.message}`)
  const size = { kind: usual.kind, usual: usual.value, peak: peak.value, seconds: length.value / 1000 }
  process.stdout.write(`# ${kind}: ${PROFILE_PURPOSES[kind]}\n${profileLoad(kind, size)}`)
  return EXIT.ok
}

function levelOf(option: string, text: string): { kind: 'rate' | 'users'; value: number } {
  const rate = readSentence('RateOnly', text)
  if (rate.ok && rate.value > 0) return { kind: 'rate', value: rate.value }
  const users = readSentence('UsersOnly', text)
  if (users.ok && users.value > 0) return { kind: 'users', value: users.value }
  throw new UsageError(`${option} must be a rate such as 5/s, or users such as "20 users", found "${text}"`)
}
