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
    return ElMessageBox.confirm(
      `Your change of the ${what} is not committed and would be lost.`,
      'Leave without committing?',
      { confirmButtonText: 'Leave', cancelButtonText: 'Stay', type: 'warning' },
    ).then(
      () => true,
      () => false,
    )
  }
  onBeforeRouteLeave(mayLeave)
  onBeforeRouteUpdate(mayLeave)
  useEventListener('beforeunload', (event) => {
    if (isChanged()) event.preventDefault()
  })
}
