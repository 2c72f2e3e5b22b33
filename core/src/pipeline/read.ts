// A pipeline file as text, to its model, with every problem found on the way.
import type { Node } from 'yaml'
import { nearestWord } from '../language/sentences.js'
import { fileTextAt, readWord, type FileReader } from '../plan/context.js'
import {
  fixOf,
  offsetOf,
  placeOf,
  readFields,
  readList,
  readPhrase,
  readText,
  readVersion,
  scalarOf,
  type Field,
} from '../plan/fields.js'
import { readPlan } from '../plan/read.js'
import { openSource, problemsOf, writtenText, type Source } from '../plan/source.js'
import { fileOfTarget } from '../plan/target.js'
import type { Begins, Pipeline, PipelineReading, PlanOfStage, Requirement, Stage } from './model.js'
import { scheduleFault } from './schedule.js'

const MOST_STAGES = 50
const MOST_PLANS = 50

interface StageContext {
  source: Source
  /** Plans as they were read, by file and target: several stages may run one. */
  plans: Map<string, PlanOfStage | { fault: string }>
  files: FileReader
  /** Stages above, which this one may name. */
  before: readonly Stage[]
}

/**
 * Reads a pipeline file.
 *
 * @param file - its path in the repository
 * @param text - YAML, at most 1 MB
 * @param files - the repository's other files: plans and targets must be there
 * @returns the model and every problem, in order of place; nothing is thrown for bad input
 */
export function readPipeline(file: string, text: string, files: FileReader): PipelineReading {
  const source = openSource(file, text)
  const pipeline = readModel(source, files)
  const problems = problemsOf(source).sort((one, other) => one.line - other.line || one.column - other.column)
  return { pipeline, problems, hasErrors: problems.some(({ severity }) => severity === 'error') }
}

function readModel(source: Source, files: FileReader): Pipeline {
  const pipeline: Pipeline = { name: '', file: source.file, stages: [] }
  if (source.root === null) {
    if (source.problems.length === 0)
      source.report(0, 'EMPTY', 'the pipeline is empty: it needs jolt, pipeline and stages')
    return pipeline
  }
  const fields = readFields(source, source.root, 'the pipeline', 'pipeline')
  readVersion(source, fields.get('jolt'), 'the pipeline')
  pipeline.name = readText(source, fields.get('pipeline'), 'pipeline') ?? ''
  if (!fields.has('pipeline')) source.report(0, 'NAME', 'the pipeline has no name: add pipeline: booking service')
  readText(source, fields.get('about'), 'about')
  const nodes = readList(source, fields.get('stages')?.value ?? null, 'stages')
  if (nodes.length === 0 && !source.isBroken)
    source.report(
      offsetOf(fields.get('stages')?.key ?? null),
      'STAGES',
      'the pipeline has no stages: add - stage: review',
    )
  const plans: StageContext['plans'] = new Map()
  for (const node of nodes.slice(0, MOST_STAGES))
    pipeline.stages.push(...readStage({ source, files, plans, before: pipeline.stages }, node))
  const beyond = nodes[MOST_STAGES]
  if (beyond !== undefined)
    source.report(offsetOf(beyond), 'STAGES', `a pipeline has at most ${String(MOST_STAGES)} stages`)
  return pipeline
}

function readStage(context: StageContext, node: Node): Stage[] {
  const { source, before } = context
  const fields = readFields(source, node, 'the stage', 'stage')
  const name = readText(source, fields.get('stage'), 'stage')
  if (name === undefined) {
    if (!fields.has('stage')) source.report(offsetOf(node), 'NAME', 'a stage begins with its name: - stage: staging')
    return []
  }
  if (before.some((other) => other.name === name))
    source.report(offsetOf(fields.get('stage')?.value ?? null), 'NAME', `there is a stage "${name}" already`)
  const target = readTargetName(context, fields.get('target'))
  const approval = readWord(source, fields.get('approval'), 'approval', ['administrator', 'another administrator'])
  const stage: Stage = {
    name,
    after: readAfter(context, fields.get('after')),
    begins: readBegins(source, fields.get('begins')),
    target,
    plans: readPlans(context, fields.get('plans'), target),
    baselineBranch: phrase(source, fields.get('baseline'), 'BaselineOnly', 'baseline') ?? null,
    requires: readRequires(context, fields.get('requires')),
    madeBy: readWord(source, fields.get('made by'), 'made by', ['server']) ?? 'anybody',
    hasApproval: approval !== undefined,
    isByAnother: approval === 'another administrator',
    at: placeOf(source, node),
  }
  checkStage(source, stage, fields, node)
  return [stage]
}

/** An admission that asks for nothing would admit everything; a stage without plans would open by itself. */
function checkStage(source: Source, stage: Stage, fields: Map<string, Field>, node: Node): void {
  const where = (key: string) => offsetOf(fields.get(key)?.key ?? node)
  if (stage.begins.kind === 'admission') {
    for (const key of ['plans', 'target', 'baseline', 'made by'])
      if (fields.has(key))
        source.report(where(key), 'ADMISSION', `an admission runs nothing: remove ${key}, or begin the stage otherwise`)
    if (stage.requires.length === 0 && stage.after === null && !fields.has('requires') && !fields.has('after'))
      source.report(
        where('stage'),
        'ADMISSION',
        `the stage "${stage.name}" would admit every change: add requires: [staging within 24h]`,
      )
    return
  }
  if (fields.has('requires'))
    source.report(where('requires'), 'REQUIRES', 'requires is for admissions: use after, or begins: admission')
  if (stage.plans.length === 0 && !fields.has('plans'))
    source.report(
      where('stage'),
      'PLANS',
      `the stage "${stage.name}" runs nothing: add plans: [plans/smoke.gate.yaml], or begins: admission`,
    )
}

function readBegins(source: Source, field: Field | undefined): Begins {
  if (field === undefined) return { kind: 'by hand' }
  const begins = phrase(source, field, 'BeginsOnly', 'begins')
  if (begins?.kind === 'schedule') {
    const fault = scheduleFault(begins)
    if (fault !== undefined) source.report(offsetOf(field.value), 'SCHEDULE', fault)
  }
  return begins ?? { kind: 'by hand' }
}

function readAfter(context: StageContext, field: Field | undefined): string | null {
  const name = readText(context.source, field, 'after')
  return name !== undefined && isStageAbove(context, offsetOf(field?.value ?? null), name) ? name : null
}

function readRequires(context: StageContext, field: Field | undefined): Requirement[] {
  const { source } = context
  return readList(source, field?.value ?? null, 'requires').flatMap((node): Requirement[] => {
    const required = readPhrase(source, node, 'RequirementOnly', 'requires')
    if (required === undefined || !isStageAbove(context, offsetOf(node), required.stage)) return []
    return [required]
  })
}

function isStageAbove({ source, before }: StageContext, at: number, name: string): boolean {
  const known = before.map((stage) => stage.name)
  if (known.includes(name)) return true
  const meant = nearestWord(name, known)
  const hint =
    meant !== undefined
      ? `Did you mean "${meant}"?`
      : known.length === 0
        ? 'Stages name those above them, and this is the first'
        : `Stages above it: ${known.join(', ')}`
  source.report(at, 'STAGE', `there is no stage "${name}" above this one. ${hint}`, fixOf(name, meant))
  return false
}

function readTargetName({ source, files }: StageContext, field: Field | undefined): string | null {
  const name = readText(source, field, 'target')
  if (name === undefined) return null
  fileTextAt({ source, files }, offsetOf(field?.value ?? null), fileOfTarget(name))
  return name
}

function readPlans(context: StageContext, field: Field | undefined, target: string | null): PlanOfStage[] {
  const { source } = context
  const nodes = readList(source, field?.value ?? null, 'plans')
  if (field !== undefined && nodes.length === 0)
    source.report(offsetOf(field.key), 'PLANS', 'plans is empty: add - plans/smoke.gate.yaml')
  const plans: PlanOfStage[] = []
  for (const node of nodes) {
    const scalar = scalarOf(source, node, 'a plan', offsetOf(node))
    if (scalar === undefined) continue
    const path = writtenText(scalar)
    if (plans.some(({ file }) => file === path)) source.report(offsetOf(node), 'PLANS', `${path} stands here twice`)
    else if (!path.endsWith('.gate.yaml'))
      source.report(offsetOf(node), 'PLANS', `"${path}" is not a plan: those end with .gate.yaml`)
    else plans.push(...readPlanOf(context, node, path, target))
  }
  return plans
}

/** A plan that cannot be run would keep its stage from ever opening. */
function readPlanOf(context: StageContext, node: Node, path: string, asked: string | null): PlanOfStage[] {
  const { source, files, plans } = context
  const text = fileTextAt({ source, files }, offsetOf(node), path)
  if (text === undefined) return []
  const key = JSON.stringify([path, asked])
  let read = plans.get(key)
  if (read === undefined && plans.size >= MOST_PLANS)
    read = { fault: `a pipeline has at most ${String(MOST_PLANS)} plans` }
  if (read === undefined) plans.set(key, (read = planOf(path, text, asked, files)))
  if (!('fault' in read)) return [read]
  source.report(offsetOf(node), 'PLAN', read.fault)
  return []
}

function planOf(file: string, text: string, asked: string | null, files: FileReader): PlanOfStage | { fault: string } {
  const { plan, target, problems } = readPlan(file, text, { files, ...(asked === null ? {} : { target: asked }) })
  const fault = problems.find(({ severity }) => severity === 'error')
  if (fault !== undefined)
    return { fault: `${fault.file}:${String(fault.line)}:${String(fault.column)}: ${fault.message}` }
  return target === undefined
    ? { fault: `${file}: the plan has no target` }
    : { file, name: plan.name, target: target.name }
}

function phrase<Rule extends 'BeginsOnly' | 'BaselineOnly'>(
  source: Source,
  field: Field | undefined,
  rule: Rule,
  what: string,
) {
  return field === undefined ? undefined : readPhrase(source, field.value, rule, what)
}
