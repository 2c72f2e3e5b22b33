// Figures as evidence and sentences have them.

/** A figure to three places, as evidence and sentences have it. */
export const figure = (value: number): number => (Number.isFinite(value) ? Number(value.toPrecision(3)) : 0)
/** A time in words: "46.2 ms", "1.8 s". */
export const timeWords = (ms: number): string =>
  ms < 1000 ? `${String(figure(ms))} ms` : `${String(figure(ms / 1000))} s`
/** A moment of the load: "1:05". */
export const momentWords = (ms: number): string =>
  `${String(Math.floor(ms / 60_000))}:${String(Math.floor(ms / 1000) % 60).padStart(2, '0')}`
/** A share: "7.1 %". */
export const shareWords = (share: number): string => `${String(figure(100 * share))} %`
export const numberWords = (value: number): string => String(figure(value))
