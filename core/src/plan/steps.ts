// Journeys' steps and the ways to order them, from nodes to the model.
import { isMap, isScalar, isSeq, type Node, type YAMLMap } from 'yaml'
import { nearestWord } from '../language/sentences.js'
import { readCheck } from './assertions.js'
import { readCall, readSocket, readSql } from './calls.js'
import { fileTextAt, type StepContext } from './context.js'
import {
  fixOf,
  offsetOf,
  placeOf,
  readEntries,
  readFields,
  readList,
  readSwitch,
  readText,
  readWhole,
  type Field,
} from './fields.js'
import type { Check, Step } from './model.js'
import { readSend } from './send.js'
import { RENAMED_STEPS } from './first-edition.js'
import { openSource, problemsOf, writtenText, type Source } from './source.js'
import { ourKey } from './common-words.js'
import { UNBUILT_STEPS } from './vocabulary.js'
import { readWait } from './wait.js'

type StepReader = (context: StepContext, node: YAMLMap) => Step[]
const READERS: Record<string, StepReader> = {
  send: readSend,
  wait: ({ source }, node) => readWait(source, node),
  group: readGroup,
  parallel: readParallel,
  repeat: readRepeat,
  when: readWhen,
  pick: readPick,
  use: readUse,
  call: readCall,
  socket: readSocket,
  sql: readSql,
}
const KINDS = Object.keys(READERS)
const MOST_STEPS = 10_000
/** Rounds of a repeat at most; a plan is bounded in time, but one pass should not be a run of its own. */
const MOST_REPEATS = 10_000

/** The steps of a list; shared steps (`use`) are read in their place. */
export function readSteps(context: StepContext, node: Node | null, what: string): Step[] {
  return readList(context.source, node, what).flatMap((item) => readStep(context, item))
}

function readStep(context: StepContext, node: Node): Step[] {
  const { source, count } = context
  if (++count.steps > MOST_STEPS) {
    if (count.steps === MOST_STEPS + 1)
      source.report(
        offsetOf(node),
        'STEPS',
        `a plan has at most ${String(MOST_STEPS)} steps, shared ones counted where they are used`,
      )
    return []
  }
  if (!isMap(node)) {
    source.report(offsetOf(node), 'STEP', `a step must be a map that begins with ${KINDS.join(', ')}`)
    return []
  }
  const names = node.items.map((pair) => (isScalar(pair.key) ? writtenText(pair.key) : ''))
  // `use` and `repeat` may stand beside other keys, so the first key that is a kind decides.
  const kind = names.find((name) => KINDS.includes(name))
  const reader = kind === undefined ? undefined : READERS[kind]
  if (reader !== undefined) {
    const steps = reader(context, node)
    return isOff(source, node) ? [] : steps
  }
  const first = names[0] ?? ''
  const successor = names.map((name) => RENAMED_STEPS[name]).find((name) => name !== undefined)
  if (successor !== undefined) {
    source.report(
      offsetOf(node),
      'RENAMED',
      `"${first}" is called "${successor}" now; validate --fix rewrites it`,
      fixOf(first, successor),
    )
    return []
  }
  if (names.some((name) => UNBUILT_STEPS.includes(name))) {
    source.report(offsetOf(node), 'KEY', `"${first}": browser steps are not supported by this version yet`)
    return []
  }
  const meant = ourKey(first, KINDS)?.word ?? nearestWord(first, KINDS)
  const hint = meant === undefined ? `Steps are ${KINDS.join(', ')}` : `Did you mean "${meant}"?`
  source.report(offsetOf(node), 'STEP', `"${first}" is not a step. ${hint}`, fixOf(first, meant))
  return []
}

/** `off: yes` leaves a step out; it is read all the same, so that it is valid when it is turned on again. */
function isOff(source: Source, node: YAMLMap): boolean {
  const off = readEntries(source, node, 'this step').get('off')
  return readSwitch(source, off, 'off') ?? false
}

function readGroup(context: StepContext, node: YAMLMap): Step[] {
  const { source } = context
  const fields = readFields(source, node, 'this group', 'group')
  const name = readText(source, fields.get('group'), 'group')
  const steps = innerSteps(context, node, fields.get('steps'), `the group "${name ?? ''}"`)
  return name === undefined ? [] : [{ kind: 'group', name, steps, at: placeOf(source, node) }]
}

function readParallel(context: StepContext, node: YAMLMap): Step[] {
  const fields = readFields(context.source, node, 'this parallel step', 'parallel')
  const steps = innerSteps(context, node, fields.get('parallel'), 'parallel')
  return [{ kind: 'parallel', steps, at: placeOf(context.source, node) }]
}

function readRepeat(context: StepContext, node: YAMLMap): Step[] {
  const { source } = context
  const fields = readFields(source, node, 'this repeat step', 'repeat')
  const field = fields.get('repeat')
  const steps = innerSteps(context, node, fields.get('steps'), 'repeat')
  const at = placeOf(source, node)
  if (field !== undefined && isMap(field.value)) {
    const inner = readFields(source, field.value, 'repeat', 'until')
    const until = readCondition(context, inner.get('until'))
    const times = readWhole(source, inner.get('at most'), 'at most', 1)
    if (!inner.has('at most'))
      source.report(offsetOf(field.value), 'REPEAT', 'repeat until needs a limit: add at most, such as at most: 20')
    return until === undefined || times === undefined
      ? []
      : [{ kind: 'repeat', times: Math.min(times, MOST_REPEATS), until, steps, at }]
  }
  const times = readWhole(source, field, 'repeat', 0)
  return times === undefined
    ? []
    : [{ kind: 'repeat', times: Math.min(times, MOST_REPEATS), until: undefined, steps, at }]
}

function readWhen(context: StepContext, node: YAMLMap): Step[] {
  const { source } = context
  const fields = readFields(source, node, 'this when step', 'when')
  const condition = readCondition(context, fields.get('when'))
  const steps = innerSteps(context, node, fields.get('steps'), 'when')
  const otherwise = readSteps(context, fields.get('else')?.value ?? null, 'else')
  return condition === undefined ? [] : [{ kind: 'when', condition, steps, otherwise, at: placeOf(source, node) }]
}

function readPick(context: StepContext, node: YAMLMap): Step[] {
  const { source } = context
  const field = readFields(source, node, 'this pick step', 'pick').get('pick')
  const options = readList(source, field?.value ?? null, 'pick').map((item) => {
    const fields = readFields(source, item, 'this option', 'option')
    return {
      weight: readWhole(source, fields.get('weight'), 'weight', 0) ?? 1,
      steps: readSteps(context, fields.get('steps')?.value ?? null, 'steps'),
    }
  })
  if (options.every((option) => option.weight === 0))
    source.report(offsetOf(node), 'WEIGHTS', 'a pick needs an option with a weight above 0')
  return options.length === 0 ? [] : [{ kind: 'pick', options, at: placeOf(source, node) }]
}

function readCondition(context: StepContext, field: Field | undefined): Check | undefined {
  return field === undefined ? undefined : readCheck(context, field.value, true)
}

function innerSteps(context: StepContext, node: Node, field: Field | undefined, what: string): Step[] {
  const steps = readSteps(context, field?.value ?? null, 'steps')
  const hasItems = isSeq(field?.value) && field.value.items.length > 0
  if (steps.length === 0 && !hasItems && (field === undefined || offsetOf(field.value) > 0))
    context.source.report(offsetOf(node), 'EMPTY', `${what} has no steps`)
  return steps
}

function readUse(context: StepContext, node: Node): Step[] {
  const { source, opened } = context
  const field = readFields(source, node, 'this use step', 'use').get('use')
  const path = readText(source, field, 'use')
  if (path === undefined || field === undefined) return []
  const at = offsetOf(field.value)
  if (!path.endsWith('.steps.yaml')) {
    source.report(at, 'USE', `use needs a *.steps.yaml file of this repository, found "${path}"`)
    return []
  }
  if (opened.includes(path)) {
    source.report(at, 'USE', `${path} uses itself`)
    return []
  }
  const text = fileTextAt(context, at, path)
  if (text === undefined) return []
  const shared = openSource(path, text)
  const steps = readSteps({ ...context, source: shared, opened: [...opened, path] }, shared.root, path)
  source.problems.push(...problemsOf(shared))
  return steps
}
