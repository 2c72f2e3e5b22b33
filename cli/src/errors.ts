/** Exit codes; 125 is what searches over commits take for one that cannot be tested. */
export const EXIT = { ok: 0, shut: 1, usage: 2, void: 3, stopped: 4, fault: 5, untested: 125 } as const

/** A plan, an option, a file or a permission is wrong; nothing was sent. */
export class UsageError extends Error {}
