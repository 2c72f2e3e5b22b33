// The windows by which impact and recovery are told, in numbers.

export const WINDOW_SECONDS = 5
/** Of the phase that tells how the service was before a peak, at the least. */
export const REFERENCE_WINDOWS = 12
/** So many in a row must be as before. */
export const RECOVERED_WINDOWS = 5
