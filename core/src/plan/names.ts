// Every {name} of a plan must mean something before anything is sent.
import { nearestWord } from '../language/sentences.js'
import { misnamedIn, namesInText, namesInUrl, urlTemplateFault } from '../language/templates.js'
import { fixOf } from './fields.js'
import { MOST_PROBLEMS } from './source.js'
import type { Check, Fix, Keep, Plan, Position, Problem, Step } from './model.js'
import type { NameScope } from './steps/kind.js'
import { STEP_KINDS } from './steps/kinds.js'
import type { Target } from './target-model.js'

export const RESERVED_NAMES = ['run.id', 'run.seed', 'user.number', 'user.iteration', 'journey.name', 'now']

interface Context {
  texts: ReadonlyMap<string, string>
  target: Target | undefined
  secrets: readonly string[]
  /** Names that a keep may not take. */
  taken: ReadonlySet<string>
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
  const taken = new Set<string>()
  const context: Context = { texts, target, secrets: target?.secrets ?? [], taken, problems: [] }
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
  for (const name of [...made, ...given, ...plan.data.map((data) => data.name)]) taken.add(name)
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
      else checkName(context, name, given, value.at)
    }
  }
  const shared = new Set(new Scope(context, known).steps(plan.setup))
  for (const journey of plan.journeys) new Scope(context, shared).steps(journey.steps)
  new Scope(context, shared).steps(plan.teardown)
  return context.problems
}

/** The names known at one place of a plan. */
class Scope implements NameScope {
  constructor(
    private readonly context: Context,
    private readonly known: ReadonlySet<string>,
  ) {}

  with(names: Iterable<string>): Scope {
    return new Scope(this.context, new Set([...this.known, ...names]))
  }

  texts(texts: Iterable<string>, at: Position): void {
    for (const text of texts) {
      for (const name of namesInText(text)) this.check(name, at)
      for (const name of misnamedIn(text)) reportMisnamed(this.context, name, this.known, at)
    }
  }

  url({ url, with: values, at }: Parameters<NameScope['url']>[0]): void {
    const misnamed = misnamedIn(url)
    for (const name of misnamed) reportMisnamed(this.context, name, this.known, at)
    const fault = misnamed.length > 0 ? undefined : urlTemplateFault(url)
    if (fault !== undefined) report(this.context, locate(this.context, at, url), 'URL', fault)
    this.texts(
      values.map(([, text]) => text),
      at,
    )
    const here = this.with(values.map(([name]) => name))
    for (const name of namesInUrl(url)) if (!misnamed.includes(name)) here.check(name, at)
  }

  operands({ subject, test, at }: Check): void {
    const values =
      test.kind === 'is' || test.kind === 'is not' ? [test.value] : test.kind === 'one of' ? test.values : []
    if (subject.kind === 'value') this.check(subject.name, at)
    for (const value of values) if (value.kind === 'name') this.check(value.name, at)
  }

  keeps(keeps: readonly Keep[]): string[] {
    for (const { name, or, at } of keeps) {
      if (this.context.taken.has(name))
        report(this.context, at, 'TWO_MEANINGS', `"${name}" is kept here, but is a value already: rename one`)
      if (or?.kind === 'name') this.check(or.name, at)
    }
    return keeps.map(({ name }) => name)
  }

  /** A name is known only after the step that keeps it. */
  steps(steps: readonly Step[]): Iterable<string> {
    const known = new Set(this.known)
    const here = new Scope(this.context, known)
    for (const step of steps) for (const name of here.step(step)) known.add(name)
    return known
  }

  step(step: Step): Iterable<string> {
    return STEP_KINDS[step.kind].names(step, this)
  }

  private check(name: string, at: Position): void {
    checkName(this.context, name, this.known, at)
  }
}

function checkName(context: Context, name: string, known: ReadonlySet<string>, from: Position): void {
  const { target } = context
  if (known.has(name) || RESERVED_NAMES.includes(name) || context.problems.length >= MOST_PROBLEMS) return
  if (name.startsWith('secret.') && (target === undefined || context.secrets.includes(name.slice(7)))) return
  const at = locate(context, from, name)
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

/** In braces stands what no value can be called: it would be sent as it stands. */
function reportMisnamed(context: Context, name: string, known: ReadonlySet<string>, from: Position): void {
  if (context.problems.length >= MOST_PROBLEMS) return
  const meant = nearestWord(name, [...known, ...RESERVED_NAMES])
  report(
    context,
    locate(context, from, name),
    'UNKNOWN_NAME',
    `"{${name}}" is no value: names have letters, digits, _ and dots.${meant === undefined ? '' : ` Did you mean "{${meant}}"?`} Write "{{" for a plain brace`,
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
