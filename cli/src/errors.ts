/** Exit codes. */
export const EXIT = { ok: 0, shut: 1, usage: 2, void: 3, stopped: 4, fault: 5 } as const

/** A plan, an option, a file or a permission is wrong; nothing was sent. */
export class UsageError extends Error {}
