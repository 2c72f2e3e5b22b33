/** Lengths that a reader of clocks counts in, in seconds. */
const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400, 43_200, 86_400]

/**
 * Where a time axis is marked: whole steps of a length that a reader of clocks counts in.
 *
 * @param seconds - length of the axis
 * @param most - how many steps there are room for
 * @returns seconds from the start, the first 0, none beyond the end
 */
export function timeTicks(seconds: number, most: number): number[] {
  const step = STEPS.find((size) => seconds / size <= most) ?? 604_800
  return Array.from({ length: Math.floor(seconds / step) + 1 }, (_, index) => index * step)
}
