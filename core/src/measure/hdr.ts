// HdrHistogram V2, the compressed interchange format, written and read.
// Layout: https://github.com/HdrHistogram/HdrHistogram (public domain), "V2 encoding": cookie, payload length,
// normalizing offset, digits, lowest, highest, ratio; then counts in ZigZag LEB128-64b9B, runs of zeros as one
// negative.
import { unzlibSync, zlibSync } from 'fflate'
import { Distribution, HIGHEST, lowestOf } from '../numbers/distribution.js'

const V2 = 0x1c849303 | 0x10
const V2_COMPRESSED = 0x1c849304 | 0x10
const HEADER_BYTES = 40
const DIGITS = 3

/** Writes a distribution as HdrHistogram V2, compressed. Moments are not part of that format. */
export function encodeHdr(distribution: Distribution): Uint8Array {
  const payload: number[] = []
  let next = 0
  for (const [slot, count] of distribution.slots()) {
    if (slot > next) writeZigZag(payload, next - slot)
    writeZigZag(payload, count)
    next = slot + 1
  }
  const plain = new Uint8Array(HEADER_BYTES + payload.length)
  const view = new DataView(plain.buffer)
  view.setInt32(0, V2)
  view.setInt32(4, payload.length)
  view.setInt32(8, 0)
  view.setInt32(12, DIGITS)
  view.setBigInt64(16, 1n)
  view.setBigInt64(24, BigInt(HIGHEST))
  view.setFloat64(32, 1)
  plain.set(payload, HEADER_BYTES)
  const packed = zlibSync(plain)
  const bytes = new Uint8Array(8 + packed.length)
  const head = new DataView(bytes.buffer)
  head.setInt32(0, V2_COMPRESSED)
  head.setInt32(4, packed.length)
  bytes.set(packed, 8)
  return bytes
}

/**
 * Reads HdrHistogram V2, compressed, with lowest value 1 and three significant digits.
 *
 * @returns a distribution whose moments are those of the slots' lowest values
 * @throws RangeError for anything else
 */
export function decodeHdr(bytes: Uint8Array): Distribution {
  const head = viewOf(bytes)
  if (bytes.length < 8 || (head.getInt32(0) & ~0xf0) !== (V2_COMPRESSED & ~0xf0))
    throw new RangeError('not a compressed HdrHistogram V2')
  const plain = unzlibSync(bytes.subarray(8, 8 + head.getInt32(4)))
  const view = viewOf(plain)
  if (plain.length < HEADER_BYTES || (view.getInt32(0) & ~0xf0) !== (V2 & ~0xf0))
    throw new RangeError('not an HdrHistogram V2')
  if (view.getInt32(12) !== DIGITS || view.getBigInt64(16) !== 1n)
    throw new RangeError('the histogram must have unit 1 and three significant digits')
  const distribution = new Distribution()
  const end = Math.min(plain.length, HEADER_BYTES + view.getInt32(4))
  const cursor = { at: HEADER_BYTES }
  let slot = 0
  while (cursor.at < end) {
    const value = readZigZag(plain, cursor)
    if (value < 0) slot -= value
    else {
      addSlot(distribution, slot, value)
      slot++
    }
  }
  return distribution
}

function addSlot(distribution: Distribution, slot: number, count: number): void {
  if (count === 0) return
  const value = lowestOf(slot)
  distribution.addAt(slot, count)
  distribution.count += count
  distribution.sum += value * count
  distribution.sumOfSquares += value * value * count
  distribution.least = Math.min(distribution.least, value)
  distribution.largest = Math.max(distribution.largest, value)
}

/**
 * 64-bit ZigZag, little end first, at most 9 bytes; counts here stay under 2^53, so BigInt is needed only to be exact.
 */
function writeZigZag(into: number[], value: number): void {
  let rest = value < 0 ? BigInt(-value) * 2n - 1n : BigInt(value) * 2n
  for (let byte = 0; byte < 8 && rest >= 128n; byte++) {
    into.push(Number(rest & 127n) | 128)
    rest >>= 7n
  }
  into.push(Number(rest))
}

function readZigZag(bytes: Uint8Array, cursor: { at: number }): number {
  let value = 0n
  for (let index = 0; index < 9; index++) {
    const byte = bytes[cursor.at++]
    if (byte === undefined) throw new RangeError('the histogram ends too early')
    value |= BigInt(index === 8 ? byte : byte & 127) << BigInt(7 * index)
    if (index === 8 || byte < 128) break
  }
  return Number(value & 1n ? -(value + 1n) / 2n : value / 2n)
}

function viewOf(bytes: Uint8Array): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
}
