// The runs that the address names, and how each differs from the first.
import type { Comparison } from '@jolt-gate/core'
import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { ComparedRun } from './compare-picture.js'
import CompareWorker from './compare.worker.js?worker'
import type { ToCompareWorker } from './compare.worker.js'

export function useCompare(ids: Ref<string[]>) {
  const runs = shallowRef<ComparedRun[]>([])
  const comparisons = shallowRef<Comparison[]>()
  const fault = ref('')
  let worker: Worker | undefined
  let asked = 0

  async function load(): Promise<void> {
    const number = ++asked
    worker?.terminate()
    fault.value = ''
    comparisons.value = undefined
    try {
      const read = await Promise.all(
        ids.value.map(async (id): Promise<ComparedRun> => {
          const [detail, result] = await Promise.all([api.run(id), api.runResult(id)])
          return { detail, result }
        }),
      )
      if (number !== asked) return
      runs.value = read
      const [first, ...others] = read.map(({ result }) => result)
      if (first === undefined || others.length === 0) return
      worker = new CompareWorker()
      worker.onmessage = ({ data }: MessageEvent<Comparison[]>) => {
        comparisons.value = data
      }
      const message: ToCompareWorker = { first, others }
      worker.postMessage(message)
    } catch (error) {
      if (number === asked) fault.value = wordsOf(error)
    }
  }
  watch(ids, load, { immediate: true })
  onScopeDispose(() => worker?.terminate())

  return { runs, comparisons, fault, load }
}
