// JUnit XML: one suite a plan, one case a gate.
import XMLBuilder from 'fast-xml-builder'
import { causesOf, causeWords, MOST_CAUSES } from './causes.js'
import { findingsOf } from './explained.js'
import { observedWords } from '../judge/gate-result.js'
import { isRuleOnFailures } from '../judge/subject.js'
import { formatMs, formatValue } from '../judge/values.js'
import { verdictWords } from '../judge/verdict-words.js'
import type { RunResult } from '../judge/result-schema.js'

/** A case, in the notation of the XML builder: `@` for attributes, `#` for text. */
interface Case {
  '@name': string
  '@classname': string
  '@time': string
  failure?: Finding
  error?: Finding
  skipped?: Finding
}
interface Finding {
  '@message': string
  '@type'?: string
  '#'?: string
}

/** How the reports of several plans are written. */
export interface Reported {
  /** Plans that were asked for and not run, since one before them was not open. */
  notRun?: readonly string[]
  /** Whether gates that could not be decided or measured are let pass in a run that is void for nothing else. */
  isForgiven?: (result: RunResult) => boolean
}

/**
 * Writes results as JUnit XML: what is an error or a failure here ends with an exit code that is not 0.
 *
 * @param results - a suite each
 * @param reported - plans that did not run, and results whose open questions are let pass
 */
export function junitOf(
  results: readonly RunResult[],
  { notRun = [], isForgiven = () => false }: Reported = {},
): string {
  const builder = new XMLBuilder({
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    textNodeName: '#',
    format: true,
    suppressEmptyNode: true,
  })
  const tree = {
    testsuites: {
      testsuite: [...results.map((result) => suiteOf(result, isForgiven(result))), ...notRun.map(suiteNotRun)],
    },
  }
  return `<?xml version="1.0" encoding="UTF-8"?>\n${withoutControls(builder.build(tree))}`
}

function suiteOf(result: RunResult, isForgiven: boolean) {
  const ofGates = result.gates.map((gate) => caseOfGate(gate, result))
  const cases = isForgiven ? ofGates.map(forgiven) : [...ofGates, ...caseOfRun(result)]
  return {
    ...countsOf(result.plan.name, cases),
    '@time': (result.measuredMs / 1000).toFixed(3),
    '@timestamp': result.startedAt.slice(0, 19),
    ...propertiesOf(result),
    testcase: cases,
  }
}

/** Change, labels, impact and findings: what a pipeline's own page can show and filter by. */
function propertiesOf(result: RunResult) {
  const { change, labels = {}, impact } = result
  const said: [string, string | null][] = [
    ['commit', change?.commit ?? null],
    ['branch', change?.branch ?? null],
    ...Object.entries(labels),
    ['impact', impact?.grade ?? null],
    // The format has no place for what a case that passed has observed.
    ...result.gates.map((gate): [string, string] => [`gate: ${gate.rule}`, `${gate.status}, ${observedLine(gate)}`]),
    ...(result.places ?? []).map((place): [string, string] => [`place: ${place.name}`, partLine(place)]),
    ...(result.networks ?? []).map((network): [string, string] => [`network: ${network.name}`, partLine(network)]),
    ...findingsOf(result).map(({ kind, severity, text }): [string, string] => [
      `finding: ${kind}`,
      `${severity}: ${text}`,
    ]),
  ]
  const property = said.flatMap(([name, value]) => (value === null ? [] : [{ '@name': name, '@value': value }]))
  return property.length === 0 ? {} : { properties: { property } }
}

function partLine({ requests, failedShare, responseTime }: NonNullable<RunResult['places']>[number]): string {
  const times = responseTime === null ? '' : `, p95 ${formatMs(responseTime.percentiles['95'])}`
  return `${String(requests)} requests, ${(100 * failedShare).toFixed(1)} % failed${times}`
}

function suiteNotRun(plan: string) {
  const skipped = { '@message': 'not run: a plan before it was not open' }
  const cases: Case[] = [{ '@name': 'run', '@classname': plan, '@time': '0', skipped }]
  return { ...countsOf(plan, cases), '@time': '0', testcase: cases }
}

function countsOf(name: string, cases: readonly Case[]) {
  const count = (part: 'failure' | 'error' | 'skipped') => cases.filter((item) => item[part] !== undefined).length
  return {
    '@name': name,
    '@tests': cases.length,
    '@failures': count('failure'),
    '@errors': count('error'),
    '@skipped': count('skipped'),
  }
}

/** XML 1.0 has no place for most control characters, however escaped. */
function withoutControls(xml: string): string {
  // eslint-disable-next-line no-control-regex -- control characters are what is sought
  return xml.replaceAll(/[\0-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]/g, '\ufffd')
}

const observedLine = (gate: RunResult['gates'][number]): string =>
  `observed ${observedWords(gate)}, limit ${formatValue(gate.limit, gate.unit)}`

function caseOfGate(gate: RunResult['gates'][number], result: RunResult): Case {
  const head = {
    '@name': gate.isDefault === true ? `${gate.rule} (default)` : gate.rule,
    '@classname': result.plan.name,
    '@time': '0',
  }
  const observed = observedLine(gate)
  switch (gate.status) {
    case 'held':
      return head
    case 'breached':
      return {
        ...head,
        failure: {
          '@message': `${gate.rule}: ${observed}`,
          '@type': 'breached',
          '#': [gate.rule, observed, ...(isRuleOnFailures(gate.rule) ? causesIn(result) : [])].join('\n'),
        },
      }
    case 'undecided':
      return {
        ...head,
        error: {
          '@message': `${gate.rule}: undecided, ${observed}`,
          '@type': 'undecided',
          '#': [gate.rule, observed, gate.reason ?? ''].join('\n'),
        },
      }
    case 'unmeasured':
      return {
        ...head,
        error: {
          '@message': `${gate.rule}: unmeasured, ${gate.reason ?? `${String(gate.samples)} samples`}`,
          '@type': 'unmeasured',
        },
      }
    case 'no baseline':
    case 'not judged':
      return { ...head, skipped: { '@message': gate.status } }
    default:
      return gate.status satisfies never
  }
}

/** A gate that could not be decided, and is let pass. */
const forgiven = ({ error, ...rest }: Case): Case =>
  error === undefined ? rest : { ...rest, skipped: { '@message': `let pass: ${error['@message']}` } }

const causesIn = (result: RunResult): string[] => causesOf(result).slice(0, MOST_CAUSES).map(causeWords)

/** A void or stopped run, and one that is shut for another reason than its gates, fails a case of its own. */
function caseOfRun(result: RunResult): Case[] {
  const isToldByGates = result.verdict === 'shut' && result.gates.some((gate) => gate.status === 'breached')
  if (result.verdict === 'open' || isToldByGates) return []
  const [first = result.verdict] = result.reasons
  return [
    {
      '@name': `verdict: ${verdictWords(result.verdict)}`,
      '@classname': result.plan.name,
      '@time': '0',
      failure: { '@message': first, '@type': result.verdict, '#': [...result.reasons, ...causesIn(result)].join('\n') },
    },
  ]
}
