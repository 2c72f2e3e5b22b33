// What of a run could not be stored, in words.

export class Unwritten {
  private readonly seconds = new Set<number>()
  private readonly parts = new Set<string>()

  /** @param what - the number of a second, or a part by its name */
  add(what: number | string): void {
    if (typeof what === 'number') this.seconds.add(what)
    else this.parts.add(what)
  }

  isEmpty(): boolean {
    return this.seconds.size + this.parts.size === 0
  }

  /** All of it: "seconds 3 to 17 and 20, its result". */
  words(): string {
    const ranges: { first: number; last: number }[] = []
    for (const second of [...this.seconds].sort((one, two) => one - two)) {
      const open = ranges.at(-1)
      if (open?.last === second - 1) open.last = second
      else ranges.push({ first: second, last: second })
    }
    const named = ranges.map(({ first, last }) =>
      first === last ? String(first) : `${String(first)} to ${String(last)}`,
    )
    const one = this.seconds.size === 1 ? 'second' : 'seconds'
    return [...(named.length === 0 ? [] : [`${one} ${named.join(', ')}`]), ...this.parts].join(', ')
  }
}
