// One rehearsal as it goes, and the one before it.
import { computed, ref, shallowRef, type Ref } from 'vue'
import { api, wordsOf } from '../api/client.js'
import type { RehearsedStep } from '@jolt-gate/core'
import type { StoredRehearsal } from '@jolt-gate/core/api'

interface RehearsalOptions {
  project: Ref<number>
  file: Ref<string>
  /** The text of the plan, where it is not what was saved. */
  draft: Ref<string | null>
  /** A target in place of the plan's own; empty for that. */
  target: Ref<string>
}

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function useRehearsal({ project, file, draft, target }: RehearsalOptions) {
  const steps = shallowRef<RehearsedStep[]>([])
  const before = shallowRef<RehearsedStep[]>([])
  const state = ref<'ready' | 'going' | 'passed' | 'failed' | 'fault'>('ready')
  const fault = ref('')
  const id = ref('')
  /** When the one that is shown was made, where it is an earlier one. */
  const madeAt = ref<string | null>(null)
  let kept: StoredRehearsal[] = []
  let going = new AbortController()

  async function loadBefore(): Promise<void> {
    const { rehearsals } = await api.rehearsals(project.value, file.value).catch(() => ({ rehearsals: [] }))
    kept = rehearsals
    before.value = rehearsals[0]?.rehearsal.steps ?? []
  }

  /** Shows the last one as it was, without sending anything. */
  function showLast(): void {
    const [last, earlier] = kept
    if (last === undefined) return
    steps.value = last.rehearsal.steps
    before.value = earlier?.rehearsal.steps ?? []
    state.value = last.passed ? 'passed' : 'failed'
    id.value = last.canResume ? last.id : ''
    madeAt.value = last.at
  }

  /**
   * Rehearses the whole, or again from a step with what was kept before it.
   *
   * @param how - `only`: that step alone; the others stay as they were
   */
  async function start(from?: number, how: 'on' | 'only' = 'on'): Promise<void> {
    going.abort()
    going = new AbortController()
    const again =
      from === undefined
        ? undefined
        : { rehearsal: id.value, step: String(from), ...(how === 'only' ? { only: true } : {}) }
    if (from === undefined && steps.value.length > 0) before.value = steps.value
    const after = how === 'only' && from !== undefined ? steps.value.slice(from + 1) : []
    const first = from === undefined ? [] : steps.value.slice(0, from)
    if (how === 'on') steps.value = first
    state.value = 'going'
    fault.value = ''
    madeAt.value = null
    const made: RehearsedStep[] = []
    const asked = {
      plan: file.value,
      ...(draft.value === null ? {} : { text: draft.value }),
      ...(target.value === '' ? {} : { target: target.value }),
      ...(again === undefined ? {} : { again }),
    }
    try {
      await api.rehearse(
        project.value,
        asked,
        (event) => {
          if (event.kind === 'begin' && from === undefined) id.value = event.id
          if (event.kind === 'step') {
            made.push(event.step)
            steps.value = [...first, ...made, ...after]
          }
          if (event.kind === 'end') {
            const isPassed = event.passed && steps.value.every(({ failure }) => failure === null)
            state.value = isPassed ? 'passed' : 'failed'
          }
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

  return {
    steps,
    before,
    state,
    fault,
    madeAt,
    canResume: computed(() => id.value !== ''),
    start,
    stop,
    loadBefore,
    showLast,
  }
}
