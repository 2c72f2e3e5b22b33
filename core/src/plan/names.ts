// Every {name} of a plan must mean something before anything is sent.
import { nearestWord } from '../language/sentences.js'
import { namesInText, namesInUrl, urlTemplateFault } from '../language/templates.js'
import { fixOf } from './fields.js'
import { MOST_PROBLEMS } from './source.js'
import { RENAMED_NAMES } from './first-edition.js'
import type { Check, Fix, Keep, Plan, Position, Problem, SendStep, SocketStep, Step } from './model.js'
import type { Target } from './target-model.js'
import { textsOfJson } from './texts.js'

export const RESERVED_NAMES = ['run.id', 'run.seed', 'user.number', 'user.iteration', 'journey.name', 'now']

interface Context {
  texts: ReadonlyMap<string, string>
  secrets: readonly string[]
  problems: Problem[]
}

/**
 * Finds names that mean nothing where they are used, and names that mean two things.
 *
 * @param plan - the plan as read
 * @param target - its target, or undefined when that could not be read: then the target's names are not judged
 * @param texts - the text of each file read, to place a problem at the very name
 */
export function checkNames(plan: Plan, target: Target | undefined, texts: ReadonlyMap<string, string>): Problem[] {
  const context: Context = { texts, secrets: target?.secrets ?? [], problems: [] }
  const made = new Set(plan.values.map((value) => value.name))
  const given = new Set(target?.values.map(([name]) => name))
  for (const value of plan.values) {
    if (given.has(value.name))
      report(
        context,
        value.at,
        'TWO_MEANINGS',
        `"${value.name}" is a value of the plan and a value of the target: rename one`,
      )
  }
  for (const data of plan.data) {
    if (made.has(data.name) || given.has(data.name))
      report(context, data.at, 'TWO_MEANINGS', `"${data.name}" is both data and a value: rename one`)
  }
  const columns = plan.data.flatMap((data) => data.columns.map((column) => `${data.name}.${column}`))
  const known = new Set([...made, ...given, ...columns])
  const taken = new Set([...made, ...given, ...plan.data.map((data) => data.name)])
  for (const value of plan.values) {
    const { maker } = value
    const texts =
      maker.kind === 'constant' ? [maker.text] : maker.kind === 'pick' || maker.kind === 'list' ? maker.options : []
    for (const name of texts.flatMap(namesInText)) {
      if (made.has(name))
        report(
          context,
          value.at,
          'NESTED',
          `the value ${value.name} uses another made value, "${name}": a value may use the target's values and reserved names only`,
        )
      else checkName(context, name, given, target, value.at)
    }
  }
  const names: Names = { target, taken }
  const shared = checkSteps(context, plan.setup, known, names)
  for (const journey of plan.journeys) checkSteps(context, journey.steps, shared, names)
  checkSteps(context, plan.teardown, shared, names)
  return context.problems
}

interface Names {
  target: Target | undefined
  /** Names that a keep may not take. */
  taken: ReadonlySet<string>
}

/**
 * Walks steps in order, so that a name is known only after the step that keeps it; returns what is known at the end.
 */
function checkSteps(context: Context, steps: readonly Step[], before: ReadonlySet<string>, names: Names): Set<string> {
  const known = new Set(before)
  for (const step of steps) for (const name of checkStep(context, step, known, names)) known.add(name)
  return known
}

/** Checks one step; returns the names known after it. */
function checkStep(context: Context, step: Step, known: ReadonlySet<string>, names: Names): Iterable<string> {
  const inner = (steps: readonly Step[]) => checkSteps(context, steps, known, names)
  const { target } = names
  const checkText = (text: string) => {
    for (const name of namesInText(text)) checkName(context, name, known, target, step.at)
  }
  switch (step.kind) {
    case 'wait':
      return []
    case 'send':
      checkSend(context, step, known, target)
      return checkKeeps(context, step.keeps, known, names)
    case 'group':
      return inner(step.steps)
    case 'repeat':
      if (step.until !== undefined) checkOperands(context, step.until, inner(step.steps), target)
      return inner(step.steps)
    case 'parallel':
      return step.steps.flatMap((one) => [...checkStep(context, one, known, names)])
    case 'when':
      checkOperands(context, step.condition, known, target)
      return [...inner(step.steps), ...inner(step.otherwise)]
    case 'pick':
      return step.options.flatMap((option) => [...inner(option.steps)])
    case 'call':
      for (const [, json] of step.with) for (const text of textsOfJson(json)) checkText(text)
      return checkKeeps(context, step.keeps, known, names)
    case 'sql':
      for (const text of [step.database, ...step.with]) checkText(text)
      return []
    case 'socket':
      return checkSocket(context, step, known, names)
    default:
      return step satisfies never
  }
}

function checkSocket(context: Context, step: SocketStep, known: ReadonlySet<string>, names: Names): Set<string> {
  const { target } = names
  const after = new Set(known)
  checkUrl(context, step, known, target)
  const local = new Set([...known, ...step.with.map(([name]) => name)])
  for (const [, text] of step.headers)
    for (const name of namesInText(text)) checkName(context, name, local, target, step.at)
  for (const act of step.acts) {
    if (act.kind === 'say') {
      const texts = act.json === undefined ? [act.text ?? ''] : [...textsOfJson(act.json)]
      for (const name of texts.flatMap(namesInText)) checkName(context, name, after, target, act.at)
    }
    if (act.kind === 'await') {
      checkOperands(context, act.check, after, target)
      for (const name of checkKeeps(context, act.keeps, after, names)) after.add(name)
    }
  }
  return after
}

function checkKeeps(
  context: Context,
  keeps: readonly Keep[],
  known: ReadonlySet<string>,
  { target, taken }: Names,
): string[] {
  for (const keep of keeps) {
    if (taken.has(keep.name))
      report(context, keep.at, 'TWO_MEANINGS', `"${keep.name}" is kept here, but is a value already: rename one`)
    if (keep.or?.kind === 'name') checkName(context, keep.or.name, known, target, keep.at)
  }
  return keeps.map((keep) => keep.name)
}

/** The values that a check compares with, and the one it looks at. */
function checkOperands(
  context: Context,
  { subject, test, at }: Check,
  known: ReadonlySet<string>,
  target: Target | undefined,
): void {
  const values = test.kind === 'is' || test.kind === 'is not' ? [test.value] : test.kind === 'one of' ? test.values : []
  const names = values.flatMap((value) => (value.kind === 'name' ? [value.name] : []))
  for (const name of subject.kind === 'value' ? [subject.name, ...names] : names)
    checkName(context, name, known, target, at)
}

function checkUrl(
  context: Context,
  step: SendStep | SocketStep,
  known: ReadonlySet<string>,
  target: Target | undefined,
): void {
  const fault = urlTemplateFault(step.url)
  if (fault !== undefined) report(context, locate(context, step.at, step.url), 'URL', fault)
  for (const [, text] of step.with)
    for (const name of namesInText(text)) checkName(context, name, known, target, step.at)
  const local = new Set([...known, ...step.with.map(([name]) => name)])
  for (const name of namesInUrl(step.url)) checkName(context, name, local, target, step.at)
}

function checkSend(context: Context, step: SendStep, known: ReadonlySet<string>, target: Target | undefined): void {
  checkUrl(context, step, known, target)
  const local = new Set([...known, ...step.with.map(([name]) => name)])
  for (const text of textsOf(step))
    for (const name of namesInText(text)) checkName(context, name, local, target, step.at)
  for (const check of step.checks) checkOperands(context, check, local, target)
}

function* textsOf({ query, headers, auth, body }: SendStep): Generator<string> {
  for (const [, text] of [...query, ...headers]) yield text
  if (auth?.kind === 'basic') yield* [auth.user, auth.password]
  if (auth?.kind === 'bearer') yield auth.token
  if (body?.kind === 'json') yield* textsOfJson(body.json)
  if (body?.kind === 'form') for (const [, text] of body.fields) yield text
  if (body?.kind === 'text' || body?.kind === 'xml') yield body.text
  if (body?.kind === 'multipart') for (const part of body.parts) if (part.kind === 'text') yield part.text
}

function checkName(
  context: Context,
  name: string,
  known: ReadonlySet<string>,
  target: Target | undefined,
  from: Position,
): void {
  if (known.has(name) || RESERVED_NAMES.includes(name) || context.problems.length >= MOST_PROBLEMS) return
  if (name.startsWith('secret.') && (target === undefined || context.secrets.includes(name.slice(7)))) return
  const at = locate(context, from, name)
  const renamed = RENAMED_NAMES[name]
  if (renamed !== undefined) {
    report(
      context,
      at,
      'RENAMED',
      `"${name}" is called "${renamed}" now; validate --fix rewrites it`,
      fixOf(name, renamed),
    )
    return
  }
  if (name.startsWith('secret.')) {
    const meant = nearestWord(name.slice(7), context.secrets)
    report(
      context,
      at,
      'UNKNOWN_SECRET',
      `the target has no secret "${name.slice(7)}". ${meant === undefined ? 'Add it to secrets in the target file' : `Did you mean "${meant}"?`}`,
      fixOf(name.slice(7), meant),
    )
    return
  }
  if (target === undefined && !name.includes('.')) return
  const meant = nearestWord(name, [...known, ...RESERVED_NAMES])
  report(
    context,
    at,
    'UNKNOWN_NAME',
    `no value "${name}" is known before this step${meant === undefined ? '. Keep it in an earlier step, or add it to values' : `. Did you mean "${meant}"?`}`,
    fixOf(name, meant),
  )
}

function report(context: Context, at: Position, code: string, message: string, fix?: Fix): void {
  context.problems.push({ severity: 'error', code, message, ...at, ...(fix === undefined ? {} : { fix }) })
}

/** The first place at or after a step where a word stands in braces. */
function locate(context: Context, from: Position, word: string): Position {
  const lines = context.texts.get(from.file)?.split('\n') ?? []
  for (let line = from.line; line <= Math.min(lines.length, from.line + 60); line++) {
    const text = lines[line - 1] ?? ''
    const brace = new RegExp(
      `\\{[^{}]*?(?<![A-Za-z0-9_.])${word.replace(/[^A-Za-z0-9_]/g, '\\$&')}(?![A-Za-z0-9_])`,
    ).exec(text)
    const column =
      brace === null ? text.indexOf(word.startsWith('/') ? word : '\0') : brace.index + brace[0].length - word.length
    if (column >= 0) return { file: from.file, line, column: column + 1 }
  }
  return from
}
