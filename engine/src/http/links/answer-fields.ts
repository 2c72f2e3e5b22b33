// The fields of an answer as a library gives them.
import type { AnswerHead } from './link.js'

const NONE: readonly string[] = []

export class AnswerFields implements AnswerHead {
  /** @param raw - names and values in turn */
  constructor(
    readonly status: number,
    private readonly raw: readonly string[],
    readonly bytes: number,
  ) {}

  get hasCookies(): boolean {
    return this.values('set-cookie').length > 0
  }

  get hasCoding(): boolean {
    return this.values('content-encoding').length > 0
  }

  values(name: string): readonly string[] {
    let found = NONE
    const { raw } = this
    for (let index = 0; index + 1 < raw.length; index += 2) {
      const field = raw[index]
      if (field?.length === name.length && field.toLowerCase() === name) found = [...found, raw[index + 1] ?? '']
    }
    return found
  }

  fields(): [name: string, value: string][] {
    const fields: [string, string][] = []
    for (let index = 0; index + 1 < this.raw.length; index += 2)
      fields.push([this.raw[index]?.toLowerCase() ?? '', this.raw[index + 1] ?? ''])
    return fields
  }
}
