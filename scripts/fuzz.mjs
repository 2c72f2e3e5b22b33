// `npm run fuzz -- MINUTES`: tries every law of core/test/fuzz.ts with new seeds, and prints what broke one, or took
// longer than a second, as it belongs into core/test/fuzz-found.json.
import fc from 'fast-check'
import { LAWS } from '../core/test/fuzz.ts'

const RUNS = 300
const SLOW_MS = 1000
const untilMs = performance.now() + 60_000 * Number(process.argv[2] ?? 1)
const known = new Set()
let cases = 0

while (performance.now() < untilMs)
  for (const { name, texts, holds } of LAWS) {
    const property = fc.property(texts, (text) => {
      // Of the processor, so that a busy machine finds nothing.
      const before = process.cpuUsage()
      holds(text)
      const { user, system } = process.cpuUsage(before)
      if ((user + system) / 1000 > SLOW_MS) throw new Error('took longer than a second')
    })
    const { numRuns, failed, counterexample, errorInstance } = fc.check(property, { numRuns: RUNS })
    cases += numRuns
    const key = `${name}: ${String(errorInstance?.message).slice(0, 80)}`
    if (!failed || known.has(key)) continue
    known.add(key)
    process.stdout.write(`${key}\n${JSON.stringify([name, counterexample?.[0]])}\n`)
  }
process.stdout.write(`${LAWS.length} laws, ${cases} cases, ${known.size} broken\n`)
process.exitCode = known.size === 0 ? 0 : 1
