// The runs that the address names, and how each differs from the first, or one side from the other.
import type { Comparison } from '@jolt-gate/core'
import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { ComparedRun } from './compare-picture.js'
import CompareWorker from './compare.worker.js?worker'
import type { ToCompareWorker } from './compare.worker.js'

/**
 * @param ids - runs to compare with the first of them, or those of one side
 * @param others - those of the other side; none where runs are compared one by one
 */
export function useCompare(ids: Ref<string[]>, others: Ref<string[]>) {
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
        [...ids.value, ...others.value].map(async (id, index): Promise<ComparedRun> => {
          const [detail, result] = await Promise.all([api.run(id), api.runResult(id)])
          const isOfSides = others.value.length > 0
          return { detail, result, line: !isOfSides ? index : index < ids.value.length ? 0 : 1 }
        }),
      )
      if (number !== asked) return
      runs.value = read
      const message = messageOf(read)
      if (message === undefined) return
      worker = new CompareWorker()
      worker.onmessage = ({ data }: MessageEvent<Comparison[]>) => {
        comparisons.value = data
      }
      worker.postMessage(message)
    } catch (error) {
      if (number === asked) fault.value = wordsOf(error)
    }
  }
  function messageOf(read: readonly ComparedRun[]): ToCompareWorker | undefined {
    const results = read.map(({ result }) => result)
    if (others.value.length > 0) {
      const [before, after] = [results.slice(0, ids.value.length), results.slice(ids.value.length)]
      return before.length === 0 ? undefined : { kind: 'sides', before, after }
    }
    const [first, ...rest] = results
    return first === undefined || rest.length === 0 ? undefined : { kind: 'one by one', first, others: rest }
  }
  watch([ids, others], load, { immediate: true })
  onScopeDispose(() => worker?.terminate())

  return { runs, comparisons, fault, load }
}
