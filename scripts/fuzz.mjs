// `npm run fuzz -- MINUTES`: tries every law of core/test/fuzz.ts with new seeds, and prints what broke one, or took
// longer than a second, as it belongs into core/test/fuzz-found.json; then for as long again answers of HTTP/1.1, each
// against a library.
import fc from 'fast-check'
import { LAWS } from '../core/test/fuzz.ts'
import { ANSWER_TEXTS, unwrittenDifference } from '../engine/test/canned.ts'

const RUNS = 300
const SLOW_MS = 1000
const lengthMs = 60_000 * Number(process.argv[2] ?? 1)
const untilMs = performance.now() + lengthMs
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

let answers = 0
let differing = 0
while (performance.now() < untilMs + lengthMs)
  for (const text of fc.sample(ANSWER_TEXTS, 1000)) {
    answers++
    const difference = await unwrittenDifference(text)
    if (difference === undefined) continue
    differing++
    if (differing <= 20) process.stdout.write(`${JSON.stringify(text)}\n${difference}\n`)
  }
process.stdout.write(`${answers} answers, ${differing} read otherwise than by the library\n`)
process.exitCode = known.size + differing === 0 ? 0 : 1
