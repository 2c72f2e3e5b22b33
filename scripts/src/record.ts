// `npm run record`: makes runs, really, against the service with its flaws, and keeps them as files: the demo begins
// with some, and findings are tested on others. `npm run record watch peak findings` makes those that are named.
import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname } from 'node:path'
import { gunzipSync, gzipSync } from 'node:zlib'
import { RECORDED_RUNS } from './demo.js'
import { FINDINGS } from './record-findings.js'
import { RECORDED_FINDINGS, Recorder, type RecordedRun } from './recorder.js'

const WATCH = 'plans/watch.gate.yaml'
const PEAK = 'plans/peak.gate.yaml'
/** The search slows down with the fourteenth run and is mended with the eighteenth; the seventh a person stops. */
const WATCH_RUNS = 26
const [SLOW_FROM, MENDED_FROM, STOPPED] = [14, 18, 7]
/** One for each grade of impact. */
const PEAKS = [{}, { slowSearch: 2.8 }, { slowSearch: 3.4 }, { lostConnections: 16 }]

const asked = process.argv.slice(2)
const isAsked = (name: string) => asked.length === 0 || asked.includes(name)

if (isAsked('watch')) keepDemo(WATCH, await watch())
if (isAsked('peak')) keepDemo(PEAK, await peaks())
if (isAsked('findings')) keep(RECORDED_FINDINGS, await findings())

async function watch(): Promise<RecordedRun[]> {
  const recorder = await Recorder.start()
  const runs: RecordedRun[] = []
  for (let number = 1; number <= WATCH_RUNS; number++) {
    await recorder.setFlaws({ slowSearch: number >= SLOW_FROM && number < MENDED_FROM ? 2 : 1 })
    execFileSync('git', ['commit', '-q', '--allow-empty', '-m', `Build ${String(number)} of the service`], {
      cwd: recorder.demo,
    })
    runs.push(await recorder.run(WATCH, number === STOPPED ? { stopAfterMs: 5000 } : {}))
    tell(`watch ${String(number)} of ${String(WATCH_RUNS)}`)
  }
  await recorder.stop()
  return runs
}

async function peaks(): Promise<RecordedRun[]> {
  const runs: RecordedRun[] = []
  for (const flaws of PEAKS) {
    const recorder = await Recorder.start()
    await recorder.setFlaws(flaws)
    const run = await recorder.run(PEAK)
    runs.push(run)
    await recorder.stop()
    tell(`peak with ${JSON.stringify(flaws)}: ${JSON.stringify(run.result['impact'])}`)
  }
  return runs
}

async function findings(): Promise<unknown[]> {
  const lines: unknown[] = []
  for (const { name, plan, flaws = {}, options = [], later } of FINDINGS) {
    const recorder = await Recorder.start(options)
    await recorder.setFlaws(flaws)
    recorder.addPlan('plans/recorded.gate.yaml', plan)
    const { run, result, buckets } = await recorder.run('plans/recorded.gate.yaml', { later })
    await recorder.stop()
    lines.push({ name, plan: run['plan'], shape: run['shape'], buckets })
    tell(
      `${name}: ${(result['findings'] as { kind: string; severity: string }[]).map((one) => `${one.kind} (${one.severity})`).join(', ')}`,
    )
  }
  return lines
}

/** Runs of one plan take the place of those that were there. */
function keepDemo(plan: string, runs: readonly RecordedRun[]): void {
  const before = existsSync(RECORDED_RUNS)
    ? gunzipSync(readFileSync(RECORDED_RUNS)).toString().trimEnd().split('\n')
    : []
  const others = before.filter((line) => (JSON.parse(line) as RecordedRun).run['planFile'] !== plan)
  keep(RECORDED_RUNS, [...others.map((line) => JSON.parse(line) as unknown), ...runs])
}

function keep(file: string, lines: readonly unknown[]): void {
  mkdirSync(dirname(file), { recursive: true })
  writeFileSync(file, gzipSync(`${lines.map((line) => JSON.stringify(line)).join('\n')}\n`, { level: 9 }))
}

function tell(words: string): void {
  process.stdout.write(`${words}\n`)
}
