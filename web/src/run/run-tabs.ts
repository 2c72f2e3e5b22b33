/** The tables under the chart of a run, by their names in the address. */
export const RUN_TABS = [
  'steps',
  'places',
  'networks',
  'journeys',
  'phases',
  'times',
  'slowest',
  'failures',
  'once',
] as const
export type RunTab = (typeof RUN_TABS)[number]
