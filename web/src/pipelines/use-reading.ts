// What the text of a pipeline says, as it is typed.
import type { PipelineReading } from '@jolt-gate/core'
import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import type { PipelineAsked, PipelineRead } from './pipeline.worker.js'
import PipelineWorker from './pipeline.worker.js?worker'

/** @returns the reading, and whether it is that of the text as it stands */
export function useReading(
  file: Ref<string>,
  text: Ref<string>,
  files: Ref<Record<string, string>>,
): { reading: Ref<PipelineReading>; isCurrent: Ref<boolean> } {
  const reading = shallowRef<PipelineReading>({
    pipeline: { name: '', file: '', stages: [] },
    problems: [],
    hasErrors: false,
  })
  const isCurrent = ref(false)
  let asked = 0
  const worker = new PipelineWorker()
  worker.onmessage = ({ data }: MessageEvent<PipelineRead>) => {
    if (data.number !== asked) return
    reading.value = data.reading
    isCurrent.value = true
  }
  onScopeDispose(() => {
    worker.terminate()
  })
  watch(
    [file, text, files],
    () => {
      isCurrent.value = false
      const request: PipelineAsked = { number: ++asked, file: file.value, text: text.value, files: { ...files.value } }
      worker.postMessage(request)
    },
    { immediate: true },
  )
  return { reading, isCurrent }
}
