// The cookies of one user (RFC 6265), by a library.
import { CookieJar } from 'tough-cookie'

export class Cookies {
  // Single-label hosts such as localhost are no public suffixes here.
  private readonly jar = new CookieJar(undefined, { rejectPublicSuffixes: false, looseMode: true })

  store(url: string, fields: readonly string[]): void {
    for (const field of fields) this.jar.setCookieSync(field, url, { ignoreError: true })
  }

  /** The Cookie field for a URL; empty when no cookie belongs there. */
  fieldFor(url: string): string {
    return this.jar.getCookieStringSync(url)
  }
}
