// Hears from the server what has changed, and lets the pages read anew what they show. A hidden page hears nothing: a
// browser opens only six connections to a server, over all its tabs.
import { useQueryClient } from '@tanstack/vue-query'
import { useDocumentVisibility } from '@vueuse/core'
import { onScopeDispose, watch } from 'vue'

const NUMBER = /^\{"project":(\d+)\}$/

export function useChanges(): void {
  const client = useQueryClient()
  const visibility = useDocumentVisibility()
  let source: EventSource | undefined

  function open(): void {
    source?.close()
    source = new EventSource('/api/changes')
    // What changed while the connection was away is read now.
    source.addEventListener('open', () => void client.invalidateQueries())
    source.addEventListener('queue', () => {
      void client.invalidateQueries({ queryKey: ['queue'] })
      void client.invalidateQueries({ queryKey: ['runs'] })
      void client.invalidateQueries({ queryKey: ['pipeline'] })
    })
    source.addEventListener('project', ({ data }: MessageEvent<string>) => {
      const project = Number(NUMBER.exec(data)?.[1])
      void client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[1] === project })
    })
  }
  function close(): void {
    source?.close()
    source = undefined
  }
  watch(visibility, (now) => (now === 'visible' ? open() : close()), { immediate: true })
  onScopeDispose(close)
}
