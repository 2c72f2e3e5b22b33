// The pipelines of a project, as they are committed: what lies on disk alone lets nothing through.
import { plansOfAdmissions, readPipeline, type Pipeline, type PipelineReading, type Stage } from '@jolt-gate/core'
import { Problem } from '../http/problem.js'
import type { WorkingCopy } from '../projects/working-copy.js'

const MOST_PIPELINES = 10
/** Of each project, as it was read last: the same commit reads the same. */
const known = new Map<string, { head: string; readings: PipelineReading[] }>()

/** Every pipeline on the branch of the project's own files. */
export async function pipelinesOf(own: WorkingCopy): Promise<PipelineReading[]> {
  const { commit: head } = await own.head()
  if (head === null) return []
  const before = known.get(own.root)
  if (before?.head === head) return before.readings
  const files = (await own.commits.filesAt(head, '.pipeline.yaml')).slice(0, MOST_PIPELINES)
  const reader = own.commits.readerAt(head)
  const readings = files.flatMap((file) => {
    const text = reader(file)
    return text === undefined ? [] : [readPipeline(file, text, reader)]
  })
  known.set(own.root, { head, readings })
  return readings
}

/** The pipeline that is asked for; the only one where none is named. */
export async function pipelineOf(own: WorkingCopy, file: string | undefined): Promise<Pipeline> {
  const { pipeline, problems, hasErrors } = await readingOf(own, file)
  const [first] = problems
  if (hasErrors && first !== undefined)
    throw new Problem(422, 'PIPELINE', `${first.file}:${String(first.line)}:${String(first.column)}: ${first.message}`)
  return pipeline
}

export async function readingOf(own: WorkingCopy, file: string | undefined): Promise<PipelineReading> {
  const all = await pipelinesOf(own)
  const found = file === undefined ? all : all.filter(({ pipeline }) => pipeline.file === file)
  const [only, ...others] = found
  if (only === undefined)
    throw new Problem(
      404,
      'NO_PIPELINE',
      file === undefined
        ? 'this project has no pipeline: commit pipelines/NAME.pipeline.yaml'
        : `there is no committed pipeline ${file}`,
    )
  if (others.length > 0)
    throw new Problem(
      409,
      'SEVERAL',
      `this project has several pipelines: name one of ${all.map(({ pipeline }) => pipeline.file).join(', ')}`,
    )
  return only
}

/** A stage of a pipeline by its name. */
export function stageOf(pipeline: Pipeline, name: string): Stage {
  const found = pipeline.stages.find((stage) => stage.name === name)
  if (found !== undefined) return found
  const known = pipeline.stages.map((stage) => stage.name)
  throw new Problem(404, 'NO_STAGE', `${pipeline.file} has no stage "${name}". Its stages: ${known.join(', ')}`)
}

/** Whether an admission of some pipeline stands on a plan. */
export async function isForAdmission(own: WorkingCopy, planFile: string): Promise<boolean> {
  return (await pipelinesOf(own)).some(({ pipeline }) => plansOfAdmissions(pipeline).has(planFile))
}
