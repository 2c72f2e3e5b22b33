// A plan file as text, to a plan as a model, with every problem found on the way.
import { isMap, isScalar, type Node } from 'yaml'
import { nearestWord } from '../language/sentences.js'
import { readGates } from './gates.js'
import { fillLoad, type LoadValues } from './load-values.js'
import { checkDrain, checkPhaseNames, readLoadFrame, readTrack, type LoadFrame } from './load.js'
import type { Journey, Phase, Plan, Position, Problem, Step } from './model.js'
import type { Target } from './target-model.js'
import { allSteps, groupsOf, timedOf } from './steps/walk.js'
import { checkNames } from './names.js'
import { readNetworks } from './networks.js'
import { readPlaces } from './places.js'
import { errorsIn, openSource, problemsOf, writtenText, type Source } from './source.js'
import { readWord, type FileReader, type StepContext } from './context.js'
import { readData } from './data.js'
import { NO_DEFAULTS, readDefaults, readOnFailure, readTimeout } from './steps/shared.js'
import { readSteps } from './steps/read.js'
import { readTextMap } from './texts.js'
import {
  offsetOf,
  placeOf,
  readEntries,
  readFields,
  readPhrase,
  readSwitch,
  readText,
  readVersion,
  readWhole,
  type Field,
} from './fields.js'
import { fileOfTarget, readTarget, targetOfOrigin } from './target.js'
import { originsToPermit } from './permission.js'
import { readValues } from './values.js'

export interface ReadOptions {
  /** Other files of the repository: shared steps and targets. */
  files: FileReader
  /** Stands in for the plan's own target: a name or an origin. */
  target?: string | undefined
  /** Stand in for values of the target, and add to them, where a load names them. */
  set?: Readonly<Record<string, string>>
}

export interface PlanReading {
  /** The plan, as far as it could be read; only without errors may it be run. */
  plan: Plan
  target: Target | undefined
  /** Values that its load names. */
  loadNames: ReadonlySet<string>
  problems: Problem[]
  /** Where each journey and step stands is known even when the plan has errors, so that an outline can be drawn. */
  hasErrors: boolean
}

/**
 * Reads a plan file with its target and shared steps.
 *
 * @param file - path of the plan in its repository, for messages
 * @param text - YAML of plan format 1, at most 1 MB
 * @returns the model and every problem, in order of place; nothing is thrown for bad input
 */
export function readPlan(file: string, text: string, options: ReadOptions): PlanReading {
  const source = openSource(file, text)
  const texts = new Map([[file, text]])
  const files: FileReader = (path) => {
    const content = options.files(path)
    if (content !== undefined) texts.set(path, content)
    return content
  }
  const target = resolveTarget(source, targetOf(source), files, options.target)
  const values = new Map([...(target?.values ?? []), ...Object.entries(options.set ?? {})])
  const loadNames = new Set<string>()
  const plan = readModel(source, files, (name) => {
    loadNames.add(name)
    return values.get(name)
  })
  if (source.root !== null && !source.isBroken) {
    source.problems.push(...checkNames(plan, target, texts))
    if (target !== undefined) checkMetrics(source, plan, target)
  }
  const problems = problemsOf(source).sort(
    (a, b) => Number(a.file !== file) - Number(b.file !== file) || a.line - b.line || a.column - b.column,
  )
  return { plan, target, loadNames, problems, hasErrors: problems.some((problem) => problem.severity === 'error') }
}

/** Reports gates on metrics that the target does not have. */
function checkMetrics(source: Source, { gates }: Plan, { name: target, metrics }: Target): void {
  const known = metrics.map(({ name }) => name)
  for (const { measure, at } of gates) {
    if (measure.kind !== 'metric' || known.includes(measure.name)) continue
    const meant = nearestWord(measure.name, known)
    const hint =
      meant !== undefined
        ? `Did you mean "${meant}"?`
        : known.length > 0
          ? `It has ${known.map((one) => `"${one}"`).join(', ')}`
          : 'Add it to metrics in the target file'
    const message = `the target ${target} has no metric "${measure.name}". ${hint}`
    source.problems.push({ severity: 'error', code: 'UNKNOWN_METRIC', message, ...at })
  }
}

/** The target that a plan names, and where. */
function targetOf(source: Source): { wanted: string | undefined; at: Position } {
  const pair = isMap(source.root)
    ? source.root.items.find(({ key }) => isScalar(key) && key.value === 'target')
    : undefined
  const wanted = isScalar(pair?.value) && pair.value.value !== null ? writtenText(pair.value) : undefined
  return { wanted, at: isScalar(pair?.key) ? placeOf(source, pair.key) : source.positionAt(0) }
}

// eslint-disable-next-line max-lines-per-function -- one section of a plan after another
function readModel(source: Source, files: FileReader, valueOf: LoadValues): Plan {
  const root = source.root
  if (root === null) {
    if (source.problems.length === 0)
      source.report(0, 'EMPTY', 'the plan is empty: it needs jolt, name, target, journeys, load and gates')
    return emptyPlan(source.file)
  }
  const fields = readFields(source, root, 'the plan', 'plan')
  readVersion(source, fields.get('jolt'), 'the plan')
  const node = (key: string): Node | null => fields.get(key)?.value ?? null
  const namespaces = Object.fromEntries(readTextMap(source, node('namespaces'), 'namespaces'))
  const bare: StepContext = {
    source,
    files,
    namespaces,
    defaults: NO_DEFAULTS,
    isSetup: false,
    isOnce: false,
    opened: [],
    count: { steps: 0 },
  }
  const context = fields.has('defaults') ? { ...bare, defaults: readDefaults(bare, node('defaults')) } : bare
  const setup = readSteps({ ...context, isSetup: true, isOnce: true }, node('setup'), 'setup')
  const teardown = readSteps({ ...context, isOnce: true }, node('teardown'), 'teardown')
  for (const key of ['load', 'cap', 'drain']) fillLoad(source, node(key), valueOf)
  const frame = readLoadFrame(source, fields)
  const tracks: Phase[] = []
  const journeys = readJourneys(context, fields.get('journeys'), frame, { tracks, valueOf })
  const phases = [...readTrack(source, node('load'), null, frame), ...tracks]
  checkPhaseNames(source, phases)
  checkDrain(source, fields.get('drain'), frame, phases)
  const named = {
    steps: new Set(
      journeys.flatMap((journey) => [...timedOf(journey.steps)].flatMap((step) => (step.isRequest ? [step.name] : []))),
    ),
    groups: new Set(journeys.flatMap((journey) => [...groupsOf(journey.steps)].map((group) => group.name))),
    journeys: new Set(journeys.map((journey) => journey.name)),
    phases: new Set(phases.flatMap(({ name, ladder }) => (ladder === null ? [name] : [name, ladder]))),
  }
  const places = readPlaces(source, node('places'))
  const networks = readNetworks(source, node('networks'))
  const satisfiedMs = readTimeout(source, fields.get('satisfied'), 'satisfied')
  const plan: Plan = {
    file: source.file,
    name: readText(source, fields.get('name'), 'name') ?? source.file,
    about: readText(source, fields.get('about'), 'about') ?? '',
    target: readText(source, fields.get('target'), 'target'),
    places,
    networks,
    onLoss: readWord(source, fields.get('on loss'), 'on loss', ['void', 'continue at less']),
    seed: readWhole(source, fields.get('seed'), 'seed', 0) ?? 1,
    satisfiedMs,
    strict: readSwitch(source, fields.get('strict'), 'strict') ?? false,
    trace: fields.has('trace') ? (readPhrase(source, node('trace'), 'TraceOnly', 'trace') ?? FAILED) : FAILED,
    values: readValues(source, node('values')),
    data: readData({ source, files }, node('data')),
    namespaces,
    connections: readConnections(source, fields.get('connections'), networks !== undefined),
    setup,
    journeys,
    teardown,
    load: { phases, drainMs: frame.drainMs, cap: frame.cap, mix: frame.mix },
    ...readGates(
      source,
      node('gates'),
      {
        ...{ ...named, areAllRead: errorsIn(source) === 0 },
        places: new Set(places?.map((place) => place.name)),
        networks: new Set(networks?.map((network) => network.name)),
      },
      satisfiedMs,
    ),
  }
  if (!source.isBroken) requireParts(source, fields, plan)
  return plan
}

/** Over a network each user has connections of its own: those of others would be those of other networks. */
function readConnections(source: Source, field: Field | undefined, hasNetworks: boolean): Plan['connections'] {
  const written = readWord(source, field, 'connections', ['shared', 'per user'])
  if (hasNetworks && written === 'shared')
    source.report(
      offsetOf(field?.value ?? null),
      'CONNECTIONS',
      'users of a network have connections of their own: remove "connections: shared"',
    )
  return hasNetworks ? 'per user' : (written ?? 'shared')
}

function requireParts(source: Source, fields: Map<string, Field>, plan: Plan): void {
  const missing = [
    { key: 'name', cure: 'name: Summer timetable opens' },
    { key: 'journeys', cure: 'what a virtual user does' },
    { key: 'load', cure: 'how users come, such as - { phase: peak, rate: 5/s, for: 30s }' },
  ].filter(({ key }) => !fields.has(key) && !(key === 'load' && plan.load.phases.length > 0))
  const isMisspelt = (key: string) => source.problems.some(({ fix }) => fix?.text === key)
  for (const { key, cure } of missing)
    if (!isMisspelt(key)) source.report(0, 'MISSING_KEY', `the plan has no ${key}: ${cure}`)
  if (
    fields.has('load') &&
    plan.load.phases.length === 0 &&
    !source.problems.some((problem) => problem.severity === 'error')
  ) {
    source.report(offsetOf(fields.get('load')?.key ?? null), 'EMPTY', 'the load has no phases')
  }
}

/** The journeys; the phases of those with a load of their own go to `tracks`. */
function readJourneys(
  context: StepContext,
  field: Field | undefined,
  frame: LoadFrame,
  { tracks, valueOf }: { tracks: Phase[]; valueOf: LoadValues },
): Journey[] {
  if (field === undefined) return []
  const { source, defaults } = context
  const journeys: Journey[] = []
  let areAllAlone = true
  for (const [name, entry] of readEntries(source, field.value, 'journeys')) {
    const before = errorsIn(source)
    const fields = readFields(source, entry.value, `the journey "${name}"`, 'journey')
    const onFailure = readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure
    const inner = { ...context, defaults: { ...defaults, onFailure } }
    const steps = readSteps(inner, fields.get('steps')?.value ?? null, 'steps')
    if (readSwitch(source, fields.get('off'), 'off') === true) continue
    const own = fields.get('load')
    const weightField = fields.get('weight')
    if (own !== undefined) {
      fillLoad(source, own.value, valueOf)
      tracks.push(...readTrack(source, own.value, name, frame))
      if (weightField !== undefined)
        source.report(
          offsetOf(weightField.key),
          'WEIGHTS',
          'a journey with a load of its own takes no weight: remove it',
        )
    } else areAllAlone = false
    const weight = own === undefined ? (readWhole(source, weightField, 'weight', 0) ?? 1) : 0
    // Of steps that could not be read it is not known whether they send.
    if (errorsIn(source) === before && ![...timedOf(steps)].some((step) => step.isRequest))
      source.report(offsetOf(entry.key), 'EMPTY', `the journey "${name}" sends nothing`)
    for (const step of allSteps(steps)) {
      if (step.kind === 'when' && step.condition.subject.kind !== 'value' && steps[0] === step)
        source.report(offsetOf(entry.key), 'WHEN', 'a when on the response needs a request before it')
    }
    const returning = readSwitch(source, fields.get('returning'), 'returning') ?? false
    const pacing = fields.get('pacing')
    const pacingMs = pacing === undefined ? 0 : (readPhrase(source, pacing.value, 'DurationOnly', 'pacing') ?? 0)
    journeys.push({ name, weight, returning, pacingMs, steps, at: placeOf(source, entry.key) })
  }
  if (journeys.length === 0 && errorsIn(source) === 0 && isMap(field.value) && field.value.items.length > 0)
    source.report(offsetOf(field.key), 'EMPTY', 'every journey is off: nothing would be sent')
  if (journeys.length > 0 && !areAllAlone && journeys.every((journey) => journey.weight === 0)) {
    source.report(offsetOf(field.key), 'WEIGHTS', 'every journey has weight 0: there would be no arrivals')
  }
  return journeys
}

function resolveTarget(
  source: Source,
  own: { wanted: string | undefined; at: Position },
  files: FileReader,
  override: string | undefined,
): Target | undefined {
  const wanted = override ?? own.wanted
  const at: Position = override === undefined ? own.at : { file: '--target', line: 1, column: 1 }
  const report = (code: string, message: string) => source.problems.push({ severity: 'error', code, message, ...at })
  if (wanted === undefined) {
    if (source.root !== null && !source.isBroken)
      report(
        'MISSING_KEY',
        'the plan has no target: name a file in targets/, or an origin such as http://127.0.0.1:7710',
      )
    return undefined
  }
  const target = targetOfOrigin(wanted) ?? targetOfFile(source, wanted, files, report)
  const [outside] = target === undefined ? [] : originsToPermit(target)
  if (outside !== undefined && target?.permission === undefined)
    source.problems.push({
      severity: 'warning',
      code: 'PERMISSION',
      message: `${outside} is not on loopback: before a run, its target file needs a permission, and control must be proven`,
      ...at,
    })
  return target
}

function targetOfFile(
  source: Source,
  name: string,
  files: FileReader,
  report: (code: string, message: string) => void,
): Target | undefined {
  const path = fileOfTarget(name)
  const text = /^[A-Za-z0-9_-]+$/.test(name) ? files(path) : undefined
  if (text === undefined) {
    report('NO_TARGET', `no file ${path}, and "${name}" is not an origin such as http://127.0.0.1:7710`)
    return undefined
  }
  const reading = readTarget(path, text, files)
  source.problems.push(...reading.problems)
  return reading.target
}

const FAILED: Plan['trace'] = { kind: 'failed' }

function emptyPlan(file: string): Plan {
  const steps: Step[] = []
  return {
    file,
    name: file,
    about: '',
    target: undefined,
    seed: 1,
    satisfiedMs: undefined,
    strict: false,
    trace: FAILED,
    values: [],
    data: [],
    namespaces: {},
    connections: 'shared',
    setup: steps,
    journeys: [],
    teardown: steps,
    load: { phases: [], drainMs: 30_000, cap: undefined, mix: 'exact' },
    gates: [],
  }
}
