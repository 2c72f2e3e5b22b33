// Cookies of a user: sent with what they are meant for, and taken from each answer (RFC 6265).
import type { Layer, Message } from '../layer.js'
import type { AnswerHead } from '../links/link.js'

const NO_FIELDS: string[] = []

export const COOKIES: Layer = {
  fields(message: Message): string[] {
    const field = message.cookies()?.fieldFor(message.origin + message.path) ?? ''
    return field === '' ? NO_FIELDS : ['cookie', field]
  },
  head(message: Message, head: AnswerHead): void {
    if (head.hasCookies) message.storeCookies(head.values('set-cookie'))
  },
}
