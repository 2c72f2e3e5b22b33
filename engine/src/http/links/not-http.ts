// An answer that is no HTTP/1.1: how it ends, or what it says, would be a guess.
export const NOT_HTTP = 'NOT_HTTP'

export const notHttp = (what: string): Error => Object.assign(new Error(what), { code: NOT_HTTP })
