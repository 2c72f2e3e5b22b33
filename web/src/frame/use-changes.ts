// Hears from the server what has changed, and lets the pages read anew what they show. A hidden page hears nothing: a
// browser opens only six connections to a server, over all its tabs.
import { useQueryClient } from '@tanstack/vue-query'
import { useDocumentVisibility } from '@vueuse/core'
import { onScopeDispose, ref, watch, type Ref } from 'vue'
import { api } from '../api/client.js'

const NUMBER = /^\{"project":(\d+)\}$/
/** A browser tries a lost connection again by itself, but not one that was answered otherwise than by a stream. */
const TRY_AGAIN_MS = 3000

/** @returns whether the server is away: what the pages show may be old, and is read anew when it is back */
export function useChanges(): Ref<boolean> {
  const client = useQueryClient()
  const visibility = useDocumentVisibility()
  const isAway = ref(false)
  let source: EventSource | undefined
  let timer: ReturnType<typeof setTimeout> | undefined

  function open(): void {
    close()
    const opened = (source = new EventSource('/api/changes'))
    // What changed while the connection was away is read now.
    opened.addEventListener('open', () => {
      isAway.value = false
      void client.invalidateQueries()
    })
    opened.addEventListener('error', () => {
      if (opened.readyState !== EventSource.CLOSED) isAway.value = true
      else void tryAgain(opened)
    })
    opened.addEventListener('queue', () => {
      void client.invalidateQueries({ queryKey: ['queue'] })
      void client.invalidateQueries({ queryKey: ['runs'] })
      void client.invalidateQueries({ queryKey: ['pipeline'] })
    })
    opened.addEventListener('project', ({ data }: MessageEvent<string>) => {
      const project = Number(NUMBER.exec(data)?.[1])
      void client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[1] === project })
    })
  }
  /** It was answered, but not by a stream: a proxy before a server that is away, or a server that has its reasons. */
  async function tryAgain(closed: EventSource): Promise<void> {
    const session = await api.session().catch(() => undefined)
    if (source !== closed) return
    isAway.value = session === undefined
    // Who is signed in no longer hears nothing more.
    if (session === undefined || session.kind === 'somebody') timer = setTimeout(open, TRY_AGAIN_MS)
  }
  function close(): void {
    clearTimeout(timer)
    source?.close()
    source = undefined
  }
  watch(visibility, (now) => (now === 'visible' ? open() : close()), { immediate: true })
  onScopeDispose(close)
  return isAway
}
