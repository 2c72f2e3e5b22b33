// The times of groups: from the first request due in them to the last one's end, less the waits in between.
import type { OpenGroup, Strand } from './pass.js'

/** A request is due: it begins every group around it that has not begun. */
export function beginGroups(strand: Strand, atMs: number): void {
  for (let up: Strand | null = strand; up !== null; up = up.parent)
    for (const group of up.groups) if (group.firstDueMs < 0) group.firstDueMs = atMs
}

/** Notes the end of a request for the pass and all groups around it. */
export function noteEnd(strand: Strand, endedMs: number, hasFailed: boolean): void {
  const { pass } = strand
  pass.lastEndMs = Math.max(pass.lastEndMs, endedMs)
  if (hasFailed) pass.hasFailed = true
  for (let up: Strand | null = strand; up !== null; up = up.parent) {
    for (const group of up.groups) {
      group.lastEndMs = Math.max(group.lastEndMs, endedMs)
      if (hasFailed) group.hasFailed = true
    }
  }
}

/** A wait is taken out of every group that it lengthens: those of its own strand, and what that strand holds up. */
export function noteWait(strand: Strand, lengthMs: number): void {
  strand.waitedMs += lengthMs
  for (const group of strand.groups) if (group.firstDueMs >= 0) group.waitedMs += lengthMs
}

/** The time of a group in ms; null when it was not complete or a request of it failed. */
export function timeOfGroup(group: OpenGroup): number | null {
  const isComplete = group.firstDueMs >= 0 && !group.hasFailed
  return isComplete ? group.lastEndMs - group.firstDueMs - group.waitedMs : null
}
