// What the keyboard does anywhere on the page of a plan.
import { useEventListener } from '@vueuse/core'
import { MODES, type Mode } from './modes.js'

interface PlanKeys {
  save: () => void
  undo: () => void
  redo: () => void
  show: (mode: Mode) => void
  rehearse: () => void
  /** Renames what is selected. */
  rename: () => void
}

export function usePlanKeys({ save, undo, redo, show, rehearse, rename }: PlanKeys): void {
  useEventListener('keydown', (event) => {
    const isCommand = event.ctrlKey || event.metaKey
    const isTyping = event.target instanceof HTMLElement && event.target.closest('input, textarea, .cm-editor') !== null
    const does = (task: () => void) => {
      event.preventDefault()
      task()
    }
    if (isCommand && event.key === 's') does(save)
    // Where one types, undoing is the editor's.
    else if (isCommand && event.key.toLowerCase() === 'z' && !isTyping) does(event.shiftKey ? redo : undo)
    else if (event.altKey && !isCommand && /^[1-4]$/.test(event.key))
      does(() => {
        show(MODES[Number(event.key) - 1] ?? 'text')
      })
    else if (event.altKey && event.key === 'r') rehearse()
    else if (event.key === 'F2') rename()
  })
}
