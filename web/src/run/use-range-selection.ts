// The cursor on the time axis of a run, and the range that is selected on it: by pointer, and by arrow keys.
import type { TimeRange } from '@jolt-gate/core'
import { ref, type Ref } from 'vue'

interface RangeSelection {
  range: Ref<TimeRange | null>
  /** The second at a place of the window; null beside the axis. */
  secondAt: (clientX: number) => number | null
  /** The last second that there is. */
  last: () => number
  /** A mark is wanted at a second. */
  mark: (second: number) => void
}

export function useRangeSelection({ range, secondAt, last, mark }: RangeSelection) {
  const cursor = ref<number | null>(null)
  /** Where a selection began. */
  const anchor = ref<number | null>(null)

  function selectTo(second: number): void {
    const from = anchor.value ?? second
    range.value = { fromSecond: Math.min(from, second), toSecond: Math.max(from, second) + 1 }
  }
  function onMove({ clientX }: PointerEvent): void {
    cursor.value = secondAt(clientX)
    if (anchor.value !== null && cursor.value !== null && cursor.value !== anchor.value) selectTo(cursor.value)
  }
  function onDown({ clientX }: PointerEvent): void {
    anchor.value = secondAt(clientX)
  }
  function onUp(): void {
    anchor.value = null
  }
  function onLeave(): void {
    cursor.value = null
  }
  function onKey(event: KeyboardEvent): void {
    if (event.key === 'm') mark(cursor.value ?? range.value?.fromSecond ?? 0)
    else if (event.key === 'Escape') range.value = anchor.value = cursor.value = null
    else if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') {
      event.preventDefault()
      const before = cursor.value ?? 0
      if (event.shiftKey) anchor.value ??= before
      else anchor.value = null
      const after = before + (event.key === 'ArrowRight' ? 1 : -1)
      cursor.value = Math.max(0, Math.min(Math.max(0, last()), after))
      if (event.shiftKey) selectTo(cursor.value)
    }
  }
  return { cursor, onMove, onDown, onUp, onLeave, onKey }
}
