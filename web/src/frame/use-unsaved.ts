// What is not committed is not lost by leaving: one is asked first.
import { useEventListener } from '@vueuse/core'
import { ElMessageBox } from 'element-plus'
import { onBeforeRouteLeave, onBeforeRouteUpdate, type RouteLocationNormalized } from 'vue-router'

interface Unsaved {
  /** What it is: "plan". */
  what: string
  isChanged: () => boolean
  /** Whether an address still shows the same text, or takes it along. */
  keeps?: (to: RouteLocationNormalized, from: RouteLocationNormalized) => boolean
}

/** Asks before an address is left, or the page is closed, while a text has changes that are not committed. */
export function useUnsaved({ what, isChanged, keeps = () => false }: Unsaved): void {
  async function mayLeave(to: RouteLocationNormalized, from: RouteLocationNormalized): Promise<boolean> {
    if (!isChanged() || keeps(to, from)) return true
    // Enter and Escape stay: nothing is lost by a key that was meant for something else.
    return ElMessageBox.confirm(
      `Your change of the ${what} is not committed and would be lost.`,
      'Leave without committing?',
      { confirmButtonText: 'Stay', cancelButtonText: 'Leave', distinguishCancelAndClose: true, type: 'warning' },
    ).then(
      () => false,
      (how: unknown) => how === 'cancel',
    )
  }
  onBeforeRouteLeave(mayLeave)
  onBeforeRouteUpdate(mayLeave)
  useEventListener('beforeunload', (event) => {
    if (isChanged()) event.preventDefault()
  })
}
