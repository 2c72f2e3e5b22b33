// Whether the name of a host still leads to where a connection was made.
import { isIP } from 'node:net'
import type { Names } from '../../network/names.js'

export class FollowedName {
  /** Where the connection leads; empty until it is made. */
  address = ''
  private readonly name: string
  /** The state of all names when they were last looked at. */
  private version: number

  constructor(
    origin: string,
    private readonly names: Names,
  ) {
    const { hostname } = new URL(origin)
    this.name = isIP(hostname.replace(/^\[(.*)\]$/, '$1')) === 0 ? hostname : ''
    this.version = names.version
  }

  leadsElsewhere(): boolean {
    if (this.name === '' || this.address === '') return false
    const { names } = this
    names.refresh(this.name)
    if (this.version === names.version) return false
    if (!names.leadsTo(this.name, this.address)) return true
    this.version = names.version
    return false
  }
}
