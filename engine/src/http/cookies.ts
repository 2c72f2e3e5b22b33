// The cookies of one user (RFC 6265), by a library.
import { CookieJar } from 'tough-cookie'

export class Cookies {
  // Single-label hosts such as localhost are no public suffixes here.
  private constructor(private readonly jar: CookieJar) {}

  static none(): Cookies {
    return new Cookies(new CookieJar(undefined, { rejectPublicSuffixes: false, looseMode: true }))
  }

  /** The cookies that `toText` wrote. */
  static fromText(text: string): Cookies {
    return new Cookies(CookieJar.deserializeSync(text))
  }

  toText(): string {
    return JSON.stringify(this.jar.serializeSync())
  }

  store(url: string, fields: readonly string[]): void {
    for (const field of fields) this.jar.setCookieSync(field, url, { ignoreError: true })
  }

  /** The Cookie field for a URL; empty when no cookie belongs there. */
  fieldFor(url: string): string {
    return this.jar.getCookieStringSync(url)
  }
}
