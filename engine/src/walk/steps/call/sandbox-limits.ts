// What a script may take, and what becomes of a call; apart from the sandbox, which is loaded in its thread alone.
export const CALL_MS = 250
export const LOAD_MS = 2000

export type ScriptOutcome = { kind: 'returned'; json: string } | { kind: 'failed'; detail: string }

export const tooLong = `it ran longer than ${String(CALL_MS)} ms`
