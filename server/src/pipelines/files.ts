// The pipelines of a project, as they are committed: what lies on disk alone lets nothing through.
import { readPipeline, type Pipeline, type PipelineReading } from '@jolt-gate/core'
import { Problem } from '../http/problems.js'
import type { WorkingCopy } from '../projects/working-copy.js'

const MOST_PIPELINES = 50

/** Every pipeline on the branch of the project's own files. */
export async function pipelinesOf(own: WorkingCopy): Promise<PipelineReading[]> {
  const files = (await own.filesAt('HEAD', '.pipeline.yaml')).slice(0, MOST_PIPELINES)
  const read: PipelineReading[] = []
  for (const file of files) {
    const text = await own.readAt(file, 'HEAD')
    if (text !== undefined) read.push(readPipeline(file, text, own.text))
  }
  return read
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
