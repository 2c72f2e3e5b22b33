// The windows by which impact and recovery are told, in numbers.

export const WINDOW_SECONDS = 5
/** Of the phase that tells how the service was before a peak, at the least. */
export const REFERENCE_WINDOWS = 12
/** Of so many in a row … */
export const RECOVERED_WINDOWS = 5
/** … as many must be as before: five of five are missed by three in ten services that nothing disturbs. */
export const RECOVERED_OF_THEM = 3
