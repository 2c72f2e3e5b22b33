// What the vocabulary is made of: the maps of the format, what may stand under a key, and how both are written down.
import type { Sentences } from '../../grammar/sentences.js'

/** The maps of a plan, of a target file and of a pipeline file. */
export type ContextName =
  | 'plan'
  | 'defaults'
  | 'journey'
  | 'send'
  | 'wait'
  | 'group'
  | 'parallel'
  | 'repeat'
  | 'until'
  | 'when'
  | 'pick'
  | 'option'
  | 'use'
  | 'call'
  | 'socket'
  | 'stream'
  | 'event'
  | 'grpc'
  | 'say'
  | 'message'
  | 'await'
  | 'sql'
  | 'check'
  | 'gate'
  | 'network'
  | 'phase'
  | 'data'
  | 'value'
  | 'auth'
  | 'part'
  | 'target'
  | 'metric'
  | 'permission'
  | 'tls'
  | 'pipeline'
  | 'stage'

/** What may stand under a key. */
export type Shape =
  | { kind: 'text' | 'whole' | 'switch' | 'json' | 'request' }
  | { kind: 'words'; words: readonly string[] }
  | { kind: 'sentence'; rule: keyof Sentences }
  /** A file of the repository, by the end of its name. */
  | { kind: 'file'; ending: string }
  | { kind: 'map'; of: ContextName }
  /** A map with free names. */
  | { kind: 'entries'; of: Shape }
  | { kind: 'list'; of: Shape }
  | { kind: 'step' }
  | { kind: 'one of'; shapes: readonly Shape[] }

export interface Key {
  about: string
  shape: Shape
  example: string
  isNeeded: boolean
}
export interface Context {
  about: string
  keys: Readonly<Record<string, Key>>
}

export const text: Shape = { kind: 'text' }
export const whole: Shape = { kind: 'whole' }
export const yesNo: Shape = { kind: 'switch' }
export const json: Shape = { kind: 'json' }
export const words = (...list: string[]): Shape => ({ kind: 'words', words: list })
export const sentence = (rule: keyof Sentences): Shape => ({ kind: 'sentence', rule })
export const file = (ending: string): Shape => ({ kind: 'file', ending })
export const map = (of: ContextName): Shape => ({ kind: 'map', of })
export const entries = (of: Shape): Shape => ({ kind: 'entries', of })
export const list = (of: Shape): Shape => ({ kind: 'list', of })
export const oneOf = (...shapes: Shape[]): Shape => ({ kind: 'one of', shapes })
export const steps = list({ kind: 'step' })
export const checks = list(oneOf(sentence('Check'), map('check')))
export const keeps = entries(sentence('Keep'))
export const texts = entries(text)

export const key = (about: string, shape: Shape, example = ''): Key => ({ about, shape, example, isNeeded: false })
export const needed = (about: string, shape: Shape, example = ''): Key => ({ about, shape, example, isNeeded: true })

export const about = key('a description', text)
