// A schedule as it is chosen: how often and when, and the stage of a pipeline that it becomes.
import { applyChanges, editText, readPipeline, type Written } from '@jolt-gate/core'
import { object, string } from 'yup'

/** How often; each but the last is made of a time of day. */
export const OFTEN = [
  { value: 'day', label: 'every day', days: '*' },
  { value: 'weekdays', label: 'Monday to Friday', days: 'Mon-Fri' },
  { value: 'Mon', label: 'every Monday', days: 'Mon' },
  { value: 'Sat', label: 'every Saturday', days: 'Sat' },
  { value: 'Sun', label: 'every Sunday', days: 'Sun' },
  { value: 'hour', label: 'every hour', days: '*' },
] as const
export type Often = (typeof OFTEN)[number]['value']

export interface NewSchedule {
  /** The file of the pipeline; a new one where it is not there yet. */
  file: string
  stage: string
  often: Often
  /** Of the day, such as 02:30. */
  time: string
  zone: string
  /** Empty for the plan's own. */
  target: string
  plan: string
}

export const SCHEDULE = object({
  stage: string()
    .trim()
    .required('name the stage')
    .max(100, 'a name has at most 100 characters')
    .matches(/^[^"\n]+$/, 'a name has no quotes'),
  time: string()
    .required('choose a time')
    .matches(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time such as 02:30'),
})

/** A cron line of five parts. */
export function cronOf({ often, time }: Pick<NewSchedule, 'often' | 'time'>): string {
  const [hour = '0', minute = '0'] = time.split(':').map((part) => String(Number(part)))
  const days = OFTEN.find(({ value }) => value === often)?.days ?? '*'
  return `${minute} ${often === 'hour' ? '*' : hour} * * ${days}`
}

/**
 * A pipeline with one more stage; a new pipeline where there is none.
 *
 * @param text - of its file; null where there is none yet
 * @throws Error where the pipeline has a stage of this name
 */
export function withSchedule(text: string | null, schedule: NewSchedule): string {
  const { file, stage, zone, target, plan } = schedule
  const value: Record<string, Written> = {
    stage,
    begins: `schedule "${cronOf(schedule)}" zone ${zone}`,
    ...(target === '' ? {} : { target }),
    plans: [plan],
  }
  const name = /([^/]+)\.pipeline\.yaml$/.exec(file)?.[1] ?? 'schedules'
  const before = text ?? `jolt: 1\npipeline: ${name}\nstages: []\n`
  const { pipeline } = readPipeline(file, before, () => undefined)
  if (pipeline.stages.some((one) => one.name === stage))
    throw new Error(`the pipeline has a stage "${stage}" already: choose another name`)
  return applyChanges(
    before,
    editText(file, before, { kind: 'insert', list: ['stages'], index: pipeline.stages.length, value }),
  )
}

/** A moment as a clock shows it in a zone: "Tue 1 Dec, 02:30". */
export function inZone(instant: string, zone: string | undefined): string {
  return new Intl.DateTimeFormat('en-GB', {
    ...{ weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' },
    ...(zone === undefined ? {} : { timeZone: zone }),
  }).format(new Date(instant))
}

export const OWN_ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone
