// The times of groups: from the first request due in them to the last one's end, less the waits in between.
import type { FailureKind } from '@jolt-gate/core'
import type { OpenGroup, Branch } from './iteration.js'

/** A request is due: it begins every group around it that has not begun. */
export function beginGroups(branch: Branch, atMs: number): void {
  for (let up: Branch | null = branch; up !== null; up = up.parent)
    for (const group of up.groups) if (group.firstDueMs < 0) group.firstDueMs = atMs
}

/** Notes the end of a request for the iteration and all groups around it. */
export function noteEnd(branch: Branch, endedMs: number, hasFailed: boolean): void {
  const { iteration } = branch
  iteration.lastEndMs = Math.max(iteration.lastEndMs, endedMs)
  if (hasFailed) iteration.hasFailed = true
  for (let up: Branch | null = branch; up !== null; up = up.parent) {
    for (const group of up.groups) {
      group.lastEndMs = Math.max(group.lastEndMs, endedMs)
      if (hasFailed) group.hasFailed = true
    }
  }
}

/** Something failed that is no request. */
export function noteFailure(branch: Branch, endedMs: number, kind: FailureKind): void {
  branch.iteration.hasOtherFailure = true
  if (kind === 'local') branch.iteration.hasLocalFault = true
  noteEnd(branch, endedMs, true)
}

/** A wait is taken out of every group that it lengthens: those of its own branch, and what that branch holds up. */
export function noteWait(branch: Branch, lengthMs: number): void {
  branch.waitedMs += lengthMs
  for (const group of branch.groups) if (group.firstDueMs >= 0) group.waitedMs += lengthMs
}

/** The time of a group in ms; null when it was not complete or a request of it failed. */
export function timeOfGroup(group: OpenGroup): number | null {
  const isComplete = group.firstDueMs >= 0 && !group.hasFailed
  return isComplete ? group.lastEndMs - group.firstDueMs - group.waitedMs : null
}
