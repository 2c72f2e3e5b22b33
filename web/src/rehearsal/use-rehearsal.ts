// One rehearsal as it goes, and the one before it.
import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { RehearsedStep } from '@jolt-gate/core'

interface RehearsalOptions {
  project: Ref<number>
  file: Ref<string>
  /** The text in the editor, where it is not what was saved. */
  draft: string | null
  /** A target in place of the plan's own; empty for that. */
  target: Ref<string>
}

export function useRehearsal({ project, file, draft, target }: RehearsalOptions) {
  const steps = shallowRef<RehearsedStep[]>([])
  const before = shallowRef<RehearsedStep[]>([])
  const state = ref<'ready' | 'going' | 'passed' | 'failed' | 'fault'>('ready')
  const fault = ref('')
  const id = ref('')
  let going = new AbortController()

  async function loadBefore(): Promise<void> {
    const { rehearsals } = await api.rehearsals(project.value, file.value).catch(() => ({ rehearsals: [] }))
    before.value = rehearsals[0]?.rehearsal.steps ?? []
  }

  /** Rehearses the whole, or again from a step with what was kept before it. */
  async function start(from?: number): Promise<void> {
    going.abort()
    going = new AbortController()
    const again = from === undefined ? undefined : { rehearsal: id.value, step: String(from) }
    if (from === undefined && steps.value.length > 0) before.value = steps.value
    steps.value = from === undefined ? [] : steps.value.slice(0, from)
    state.value = 'going'
    fault.value = ''
    const earlier = steps.value.length
    const asked = {
      plan: file.value,
      ...(draft === null ? {} : { text: draft }),
      ...(target.value === '' ? {} : { target: target.value }),
      ...(again === undefined ? {} : { again }),
    }
    try {
      await api.rehearse(
        project.value,
        asked,
        (event) => {
          if (event.kind === 'begin' && earlier === 0) id.value = event.id
          if (event.kind === 'step') steps.value = [...steps.value, event.step]
          if (event.kind === 'end') state.value = event.passed ? 'passed' : 'failed'
          if (event.kind === 'fault') {
            state.value = 'fault'
            fault.value = event.detail
          }
        },
        going.signal,
      )
    } catch (error) {
      if (going.signal.aborted) return
      state.value = 'fault'
      fault.value = wordsOf(error)
    }
  }
  function stop(): void {
    going.abort()
    if (state.value === 'going') state.value = 'ready'
  }

  return { steps, before, state, fault, canResume: computed(() => id.value !== ''), start, stop, loadBefore }
}
