// Journeys' steps, from nodes to the model, and shared steps (`use`) in their place.
import { isMap, isScalar, type Node, type YAMLMap } from 'yaml'
import { nearestWord } from '../../language/sentences.js'
import { ourKey } from '../common-words.js'
import { fileTextAt, type StepContext } from '../context.js'
import { fixOf, offsetOf, readEntries, readFields, readList, readSwitch, readText } from '../fields.js'
import type { Step } from '../model.js'
import { openSource, problemsOf, writtenText, type Source } from '../source.js'
import { UNBUILT_STEPS } from '../vocabulary.js'
import { STEP_KINDS } from './kinds.js'

const READERS: Readonly<Record<string, (context: StepContext, node: YAMLMap) => Step[]>> = {
  ...Object.fromEntries(
    Object.entries(STEP_KINDS).map(([word, kind]) => [
      word,
      (context: StepContext, node: YAMLMap) => kind.read(context, node, readSteps),
    ]),
  ),
  use: readUse,
}
const KINDS = Object.keys(READERS)
const MOST_STEPS = 10_000

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
