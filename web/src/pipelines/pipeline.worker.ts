// Reads a pipeline with the plans that it names, away from the page: those may be many and long.
import { readPipeline, type PipelineReading } from '@jolt-gate/core'

export interface PipelineAsked {
  number: number
  file: string
  text: string
  files: Record<string, string>
}
export interface PipelineRead {
  number: number
  reading: PipelineReading
}

self.onmessage = ({ data: { number, file, text, files } }: MessageEvent<PipelineAsked>) => {
  const answer: PipelineRead = { number, reading: readPipeline(file, text, (path) => files[path]) }
  self.postMessage(answer)
}
