// Connections of ours: over HTTP/1.1 as many as there are requests open at once, the last used first; over HTTP/2
// shared.
import type { WayOut } from '../network/way-out.js'
import { LibraryLink, STREAMS } from './links/library-link.js'
import type { HttpVersion, Link } from './links/link.js'
import { PlainLink } from './links/plain-link.js'

export const linkTo = (origin: string, http: HttpVersion, out: WayOut): Link =>
  http === 1 && out.route.proxy === undefined ? new PlainLink(origin, out) : new LibraryLink(origin, http, out)

export class Connections {
  private readonly idle = new Map<string, Link[]>()
  private readonly shared = new Map<string, Link>()

  constructor(private readonly out: WayOut) {}

  take(origin: string, http: HttpVersion): Link {
    if (http === 1) {
      const link = this.idleOf(origin) ?? linkTo(origin, http, this.out)
      link.carries = 1
      return link
    }
    let link = this.shared.get(origin)
    if (link === undefined || link.carries >= STREAMS || link.isOver()) {
      link = linkTo(origin, http, this.out)
      this.shared.set(origin, link)
    }
    link.carries++
    return link
  }

  private idleOf(origin: string): Link | undefined {
    const links = this.idle.get(origin)
    for (let link = links?.pop(); link !== undefined; link = links?.pop()) {
      if (!link.isOver()) return link
      link.destroy()
    }
    return undefined
  }

  giveBack(link: Link): void {
    link.carries--
    link.answered++
    if (link.http === 2) {
      // Its place may have been taken since.
      if (link.carries === 0 && this.shared.get(link.origin) !== link) link.destroy()
      return
    }
    const links = this.idle.get(link.origin)
    if (links === undefined) this.idle.set(link.origin, [link])
    else links.push(link)
  }

  /** Takes a link out of use after a fault: over HTTP/1.1 nothing more can be read on it. */
  drop(link: Link): void {
    link.carries--
    if (link.http === 1) link.destroy()
    else if (this.shared.get(link.origin) === link) {
      this.shared.delete(link.origin)
      if (link.carries === 0) link.destroy()
    }
  }

  close(): void {
    for (const links of this.idle.values()) for (const link of links) link.destroy()
    for (const link of this.shared.values()) link.destroy()
    this.idle.clear()
    this.shared.clear()
  }
}
