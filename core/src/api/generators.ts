// The generators of the fleet that a server makes runs by.
import { array, boolean, number, object, string, type InferType } from 'yup'
import { json, route } from './route.js'

const figureOrNone = () => number().nullable().defined()

export const GENERATOR = object({
  /** `place/name` */
  id: string().required(),
  place: string().required(),
  version: string().required(),
  cores: number().integer().required(),
  threads: number().integer().required(),
  /** Requests a second that it was last found able to make; null where it was never measured. */
  mostPerSecond: figureOrNone(),
  allowsLoopback: boolean().required(),
  /** Silence of 3 s is shown, and 10 s is loss. */
  state: string()
    .oneOf(['here', 'silent', 'lost'] as const)
    .required(),
  silentMs: number().required(),
  clockErrorMs: figureOrNone(),
  /** What it makes a part of, for those who may see it. */
  does: object({
    run: object({ id: string().required(), number: number().required(), projectId: number().required() })
      .nullable()
      .defined(),
    words: string().required(),
  })
    .nullable()
    .default(null)
    .defined(),
  /** In its last second; null where it makes no load. */
  now: object({
    requests: number().required(),
    busy: number().required(),
    latenessMs: number().required(),
    steal: number().required(),
  })
    .nullable()
    .default(null)
    .defined(),
  /** Busy share of its busiest sender in each second of the last minute, the oldest first; null where it was silent. */
  busy: array().of(figureOrNone()).required(),
})
export type GeneratorLine = InferType<typeof GENERATOR>

const GENERATOR_NEWS = object({
  at: string().required(),
  generator: string().required(),
  what: string()
    .oneOf(['joined', 'left', 'was lost', 'came back', 'was started anew'] as const)
    .required(),
  silentMs: number().optional(),
})

export const FLEET = object({
  /** `none` where the server was started without one; `away` where its bus does not answer. */
  state: string()
    .oneOf(['none', 'joining', 'away', 'joined'] as const)
    .required(),
  address: string().nullable().defined(),
  hasTls: boolean().required(),
  /** Of this server: generators of another refuse its orders. */
  version: string().required(),
  /** Where it is away. */
  why: string().nullable().defined(),
  since: string().nullable().defined(),
  generators: array().of(GENERATOR).required(),
  news: array().of(GENERATOR_NEWS).required(),
})
export type FleetAnswer = InferType<typeof FLEET>

export const GENERATOR_ROUTES = {
  generators: route({
    method: 'GET',
    path: '/generators',
    summary: 'the generators of the fleet: who is there, what each does now, and who came and went',
    needs: 'read',
    status: 200,
    answer: json(FLEET),
  }),
}
