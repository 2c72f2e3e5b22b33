// What has changed, told to the one who has a page open; they read anew what they look at.
import { EventEmitter } from 'node:events'

/**
 * `queue`: runs were queued, begun or ended. `ended`: a run has its result, by its id. `project`: something in a
 * project was changed, by its number. `audit`: the audit log has an entry more.
 */
export const CHANGES = new EventEmitter<{ queue: []; ended: [string]; project: [number]; audit: [] }>().setMaxListeners(
  0,
)
