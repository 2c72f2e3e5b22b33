// What a page shows, kept in its address as it changes by itself.
import { onScopeDispose } from 'vue'
import { useRouter } from 'vue-router'

/** Gives what puts parts of the query into the address, and never does so while the page is being left. */
export function useAddress(): (query: Record<string, string>) => void {
  const router = useRouter()
  // The code of the next page may still be loading: a change of the address would end that navigation.
  let isLeaving = false
  const forget = [
    router.beforeEach((to, from) => {
      isLeaving = to.path !== from.path
    }),
    router.afterEach(() => {
      isLeaving = false
    }),
  ]
  onScopeDispose(() => {
    for (const stop of forget) stop()
  })
  return (query) => {
    if (!isLeaving) void router.replace({ query: { ...router.currentRoute.value.query, ...query } })
  }
}
