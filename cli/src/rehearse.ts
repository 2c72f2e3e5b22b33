// `rehearse`: one user, one iteration of each journey, and every exchange in full.
import pc from 'picocolors'
import { formatMs, type RehearsedStep } from '@jolt-gate/core'
import { rehearse as walk } from '@jolt-gate/engine'
import { refuseForbidden, refuseImpossible, refuseUnknownValues, secretValuesOf } from './asked.js'
import { readValidPlan } from './validate.js'
import { EXIT, UsageError } from './errors.js'
import type { Output, RehearseArguments } from './options.js'
import { writeReport } from './reports.js'
import { newId } from '@jolt-gate/core/identity'

/** Lines of a body that are shown on a terminal; JSON has all of it. */
const MOST_LINES = 24
/** Under the column that says what was sent and what was got. */
const MARGIN = '        '

export async function rehearse(file: string, options: RehearseArguments, output: Output): Promise<number> {
  const { reading, repository } = readValidPlan(file, options)
  const { plan, target } = reading
  if (target === undefined) throw new UsageError(`${file}: the plan has no target`)
  refuseUnknownValues(reading, options.set)
  if (options.journey !== undefined && !plan.journeys.some(({ name }) => name === options.journey))
    throw new UsageError(
      `--journey: the plan has no journey "${options.journey}". It has ${plan.journeys.map(({ name }) => `"${name}"`).join(', ')}`,
    )
  const secrets = secretValuesOf(target)
  await refuseForbidden(undefined, target)
  await refuseImpossible(plan, target)
  const isShown = options.json !== '-' && !output.quiet
  const stopping = new AbortController()
  const stop = () => {
    stopping.abort()
  }
  process.once('SIGINT', stop).once('SIGTERM', stop)
  const rehearsal = await walk({
    signal: stopping.signal,
    plan,
    target,
    journey: options.journey,
    waits: options.waits,
    run: {
      id: newId(),
      seed: options.seed ?? plan.seed,
      startedAtMs: Date.now(),
      secrets,
      overrides: options.set,
    },
    fileBytes: repository.readBytes,
    onStep: (step) => {
      if (isShown) process.stdout.write(`${textOf(step, output)}\n`)
    },
  })
  if (options.json !== undefined) writeReport(options.json, `${JSON.stringify(rehearsal, null, 2)}\n`)
  const stream = options.json === '-' ? process.stderr : process.stdout
  if (stopping.signal.aborted) {
    stream.write(`Stopped after ${String(rehearsal.steps.length)} steps; the teardown was done\n`)
    return EXIT.stopped
  }
  const failed = rehearsal.steps.filter((step) => step.failure !== null).length
  stream.write(
    rehearsal.passed
      ? `Passed: ${String(rehearsal.steps.length)} steps against ${rehearsal.target}\n`
      : `Failed: ${String(failed)} of ${String(rehearsal.steps.length)} steps against ${rehearsal.target}\n`,
  )
  return rehearsal.passed ? EXIT.ok : EXIT.shut
}

function textOf(step: RehearsedStep, output: Output): string {
  const colors = pc.createColors(output.color)
  const sign = step.failure === null ? colors.green('passed') : colors.red('failed')
  const lines = [`${colors.bold(step.step)}  ${step.stage}  ${sign}  ${partsOf(step)}`]
  for (const { method, url, status } of step.hops)
    lines.push(`  sent  ${method} ${url}`, `  got   ${String(status)}, redirected`)
  if (step.request !== null) {
    const { method, url, headers, body } = step.request
    lines.push(`  sent  ${method} ${url}`)
    for (const [name, value] of headers) lines.push(colors.dim(`${MARGIN}${name}: ${value}`))
    if (body !== null) lines.push(...bodyLines(body))
  }
  if (step.response !== null) {
    const { status, size, headers, body } = step.response
    lines.push(`  got   ${String(status)}, ${String(size)} bytes`)
    for (const [name, value] of headers) lines.push(colors.dim(`${MARGIN}${name}: ${value}`))
    lines.push(...bodyLines(body))
  }
  for (const check of step.checks) {
    if (check.held) lines.push(`  ${colors.green('held')}    ${check.name}`)
    else
      lines.push(
        `  ${colors.red('failed')}  ${check.name}: found ${check.found.length === 0 ? 'nothing' : check.found.join(', ')}`,
      )
  }
  for (const { name, value } of step.kept) lines.push(`  kept    ${name} = ${value.slice(0, 200)}`)
  if (step.failure !== null) lines.push(colors.red(`  ${step.failure.kind}: ${step.failure.detail}`))
  return `${lines.join('\n')}\n`
}

function partsOf({ timing }: RehearsedStep): string {
  const parts = [
    ['dns', timing.dns],
    ['connect', timing.connect],
    ['tls', timing.tls],
    ['first byte', timing.firstByte],
    ['receive', timing.receive],
  ] as const
  const told = parts.flatMap(([name, ms]) => (ms === null ? [] : [`${name} ${formatMs(ms)}`]))
  return `${formatMs(timing.total)}${told.length === 0 ? '' : ` (${told.join(', ')})`}`
}

/** A body, JSON set out in lines; cut where it is long. */
function bodyLines(body: string): string[] {
  if (body === '') return []
  const lines = prettyOf(body).split('\n')
  const shown = lines.slice(0, MOST_LINES).map((line) => MARGIN + line.slice(0, 200))
  const rest = lines.length - shown.length
  return rest > 0 ? [...shown, `${MARGIN}(${String(rest)} more lines)`] : shown
}

function prettyOf(body: string): string {
  try {
    return JSON.stringify(JSON.parse(body), null, 2)
  } catch {
    return body
  }
}
