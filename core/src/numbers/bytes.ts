// Writing and reading of compact binary records: variable-length whole numbers (LEB128), floats and texts.

export class ByteWriter {
  private bytes = new Uint8Array(4096)
  private view = new DataView(this.bytes.buffer)
  private length = 0
  private static readonly encoder = new TextEncoder()

  /** A whole number of at least 0. */
  whole(value: number): void {
    this.reserve(10)
    let rest = value
    while (rest >= 128) {
      this.bytes[this.length++] = (rest % 128) | 128
      rest = Math.floor(rest / 128)
    }
    this.bytes[this.length++] = rest
  }

  float(value: number): void {
    this.reserve(8)
    this.view.setFloat64(this.length, value, true)
    this.length += 8
  }

  text(value: string): void {
    this.blob(ByteWriter.encoder.encode(value))
  }

  /** Bytes with their length. */
  blob(value: Uint8Array): void {
    this.whole(value.length)
    this.reserve(value.length)
    this.bytes.set(value, this.length)
    this.length += value.length
  }

  list<T>(items: readonly T[], write: (item: T) => void): void {
    this.whole(items.length)
    for (const item of items) write(item)
  }

  /** A copy of what was written. */
  finish(): Uint8Array<ArrayBuffer> {
    return this.bytes.slice(0, this.length)
  }

  private reserve(more: number): void {
    if (this.length + more <= this.bytes.length) return
    const grown = new Uint8Array(Math.max(this.bytes.length * 2, this.length + more))
    grown.set(this.bytes)
    this.bytes = grown
    this.view = new DataView(grown.buffer)
  }
}

export class ByteReader {
  private offset = 0
  private readonly view: DataView
  private static readonly decoder = new TextDecoder()

  constructor(private readonly bytes: Uint8Array) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  }

  whole(): number {
    let value = 0
    let scale = 1
    for (;;) {
      const byte = this.bytes[this.offset++]
      if (byte === undefined) throw new RangeError('the record ends too early')
      value += (byte & 127) * scale
      if (byte < 128) return value
      scale *= 128
    }
  }

  float(): number {
    const value = this.view.getFloat64(this.offset, true)
    this.offset += 8
    return value
  }

  text(): string {
    return ByteReader.decoder.decode(this.blob())
  }

  blob(): Uint8Array {
    const length = this.whole()
    const end = this.offset + length
    if (end > this.bytes.length) throw new RangeError('the record ends too early')
    const value = this.bytes.subarray(this.offset, end)
    this.offset = end
    return value
  }

  list<T>(read: () => T): T[] {
    const length = this.whole()
    if (length > this.bytes.length) throw new RangeError('a list is longer than its record')
    return Array.from({ length }, read)
  }
}
