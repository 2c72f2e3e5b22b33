// The error that is for the person who meets it.
/** An error for the person who meets it: what, and what to do. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    readonly detail: string,
    readonly extra: Record<string, unknown> = {},
  ) {
    super(detail)
  }
}
