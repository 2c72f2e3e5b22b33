// Redirects: one exchange sends again as long as it is told where (RFC 9110, section 15.4).
import type { Fault, Layer, Message } from '../layer.js'

export const REDIRECTS: Layer = {
  end(message: Message): Fault | 'again' | null {
    const { status, operation } = message
    if (operation.redirects === 0 || status < 300 || status >= 400 || status === 304) return null
    const location = message.header('location')
    if (location === undefined) return null
    if (message.redirectsLeft === 0) return { failure: 'redirects', detail: `more than ${String(operation.redirects)}` }
    message.redirectsLeft--
    const from = message.origin
    const base = from + message.path
    message.hops = [...message.hops, { method: message.method, url: base, status }]
    if (!message.aim(URL.canParse(location, base) ? new URL(location, base).href : location))
      return { failure: 'not permitted', detail: message.origin }
    // 303 always, and 301 and 302 after a POST, go on with GET and no body.
    if (status === 303 || ((status === 301 || status === 302) && message.method === 'POST')) {
      message.method = message.method === 'HEAD' ? 'HEAD' : 'GET'
      message.body = null
      message.fields = message.fields.without('content-type')
    }
    // Credentials are meant for the origin that the plan named.
    if (message.origin !== from) message.fields = message.fields.without('authorization')
    message.chunks = []
    return 'again'
  },
}
