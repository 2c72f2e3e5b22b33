// What pages hear while they are open.
import { route, textOf } from './route.js'

export const LIVE_ROUTES = {
  changes: route({
    method: 'GET',
    path: '/changes',
    summary: 'what changes, as server-sent events: `queue`, and `project` with its number',
    needs: 'read',
    status: 200,
    answer: textOf('text/event-stream'),
  }),
}
