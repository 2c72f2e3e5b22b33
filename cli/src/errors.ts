/** Exit codes of verbs that come to no verdict. */
export const EXIT = { ok: 0, shut: 1, usage: 2, fault: 5 } as const

/** A plan, an option, a file or a permission is wrong; nothing was sent. */
export class UsageError extends Error {}
