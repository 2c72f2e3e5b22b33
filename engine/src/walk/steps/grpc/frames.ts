// Messages of a call on the wire: a flag, a length of four bytes, and the message (gRPC over HTTP/2, the protocol's own
// document, "Length-Prefixed-Message").

const HEAD_BYTES = 5
/** Of one message, and of all that answer one call. */
const MOST_BYTES = 16_000_000
const MOST_MESSAGES = 10_000

/** One message as it goes out, not compressed. */
export function frameOf(message: Uint8Array): Buffer {
  const frame = Buffer.allocUnsafe(HEAD_BYTES + message.length)
  frame.writeUInt8(0, 0)
  frame.writeUInt32BE(message.length, 1)
  frame.set(message, HEAD_BYTES)
  return frame
}

/** Puts messages together from pieces. */
export class FrameReader {
  readonly messages: Buffer[] = []
  private pieces: Buffer[] = []
  private held = 0
  private total = 0

  /** What is left over would be a message that has no end. */
  get isWhole(): boolean {
    return this.held === 0
  }

  /** @returns what is wrong; undefined where nothing is */
  take(piece: Buffer): 'compressed' | 'too large' | undefined {
    this.pieces.push(piece)
    this.held += piece.length
    this.total += piece.length
    if (this.total > MOST_BYTES) return 'too large'
    while (this.held >= HEAD_BYTES) {
      const [first = piece] = this.pieces
      const all = first.length >= HEAD_BYTES ? first : this.joined()
      if (all.readUInt8(0) !== 0) return 'compressed'
      const end = HEAD_BYTES + all.readUInt32BE(1)
      if (end > MOST_BYTES || this.messages.length >= MOST_MESSAGES) return 'too large'
      if (this.held < end) return undefined
      const bytes = this.joined()
      this.messages.push(bytes.subarray(HEAD_BYTES, end))
      this.pieces = end === bytes.length ? [] : [bytes.subarray(end)]
      this.held = bytes.length - end
    }
    return undefined
  }

  private joined(): Buffer {
    const bytes = this.pieces.length === 1 && this.pieces[0] !== undefined ? this.pieces[0] : Buffer.concat(this.pieces)
    this.pieces = [bytes]
    return bytes
  }
}
